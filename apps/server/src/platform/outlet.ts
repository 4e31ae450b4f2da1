import { WriteStream, createWriteStream } from 'node:fs';

/** A file that is written piece by piece by code that cannot wait; whoever feeds it waits between batches, so that little is held in memory. */
export class Outlet {
  private readonly stream: WriteStream;
  private failure: Error | null = null;
  private waiting: (() => void) | null = null;

  constructor(path: string) {
    this.stream = createWriteStream(path);
    this.stream.on('error', (error) => {
      this.failure = error;
      this.waiting?.();
    });
    this.stream.on('drain', () => this.waiting?.());
  }

  readonly write = (piece: Uint8Array): void => void this.stream.write(piece);

  /** Waits until what was written has left memory. @throws Error when the file cannot be written */
  async ready(): Promise<void> {
    if (this.stream.writableNeedDrain && !this.failure) await new Promise<void>((done) => (this.waiting = done));
    this.waiting = null;
    this.check();
  }

  /** Writes the rest and closes the file. @throws Error when that fails */
  async close(): Promise<void> {
    if (!this.failure) await new Promise<void>((done) => this.stream.end(done));
    this.check();
  }

  private check(): void {
    if (this.failure) throw this.failure;
  }
}
