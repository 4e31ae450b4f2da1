import { WriteStream, createWriteStream } from 'node:fs';

/** A file written in pieces by synchronous code; the feeder waits between batches to limit memory. */
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

  /**
   * Waits until the written data has left memory.
   * @throws Error if the file cannot be written
   */
  async ready(): Promise<void> {
    if (this.stream.writableNeedDrain && !this.failure) await new Promise<void>((done) => (this.waiting = done));
    this.waiting = null;
    this.check();
  }

  /**
   * Writes the rest and closes the file.
   * @throws Error on failure
   */
  async close(): Promise<void> {
    if (!this.failure) await new Promise<void>((done) => this.stream.end(done));
    this.check();
  }

  private check(): void {
    if (this.failure) throw this.failure;
  }
}
