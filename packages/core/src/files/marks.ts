/** Bytes that are looked at as text in one go: enough to be worth it, and little enough that no file is held twice. */
const WINDOW = 512 * 1024;

/** One character for every byte, so that offsets in the text are offsets in the bytes. */
const bytewise = new TextDecoder('latin1');

/**
 * Finds marks in bytes by the engine's own search over text, which passes over what lies between them many
 * times faster than a loop over bytes. Only a window of the bytes is held as text.
 */
export class Marks {
  private text = '';
  private start = 0;
  private end = 0;

  constructor(private readonly bytes: Uint8Array) {}

  /** Offset of the first mark at or behind `from`; the number of bytes when there is none. @param mark ASCII, shorter than a window */
  next(mark: string, from: number): number {
    if (from >= this.start && from < this.end) {
      const at = this.text.indexOf(mark, from - this.start);
      if (at >= 0) return this.start + at;
    }
    return this.beyond(mark, from);
  }

  /** The same, where the window has to be moved. */
  private beyond(mark: string, from: number): number {
    const { bytes } = this;
    let i = from;
    if (i >= this.start && i < this.end) {
      if (this.end === bytes.length) return bytes.length;
      // A mark may lie across the edge of the window.
      i = Math.max(i, this.end - mark.length + 1);
    }
    while (i < bytes.length) {
      this.start = i;
      this.end = Math.min(bytes.length, i + WINDOW);
      this.text = bytewise.decode(bytes.subarray(this.start, this.end));
      const at = this.text.indexOf(mark);
      if (at >= 0) return this.start + at;
      if (this.end === bytes.length) break;
      i = this.end - mark.length + 1;
    }
    return bytes.length;
  }
}
