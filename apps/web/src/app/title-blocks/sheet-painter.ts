import { Injectable } from '@angular/core';
import { FromSheet, ToSheet } from './sheet-messages';

/** Interface to the drawing worker. */
export interface SheetPainter {
  tell(message: ToSheet, transfer?: Transferable[]): void;
  close(): void;
}

/** Creates drawing workers; replaced in tests. */
@Injectable({ providedIn: 'root' })
export class SheetPainters {
  open(heard: (message: FromSheet) => void): SheetPainter {
    const worker = new Worker(new URL('./sheet.worker', import.meta.url), { type: 'module' });
    worker.onmessage = ({ data }: MessageEvent<FromSheet>) => heard(data);
    worker.onerror = (event) => heard({ is: 'failed', n: -1, message: event.message || 'The drawing cannot be drawn.' });
    return { tell: (message, transfer = []) => worker.postMessage(message, transfer), close: () => worker.terminate() };
  }
}
