import { invalid } from '../platform/problem';

/** Allocates handles for placed blocks, leaving room for their attributes and SEQEND. */
export class FreeHandles {
  private at: bigint | null;

  /** @param next the drawing's next free handle; `null` if it has none */
  constructor(next: string | null) {
    this.at = next === null ? null : BigInt(`0x${next}`);
  }

  /**
   * The holder key of a block with the given number of cells.
   * @throws AppError if the drawing has no handles
   */
  next(path: string, cells: number): string {
    if (this.at === null) throw invalid('no-handles', `${path} has no handles, so no block can be added. Save it in a newer version.`);
    const handle = this.at.toString(16).toUpperCase();
    this.at += BigInt(cells + 2);
    return `insert:${handle}`;
  }
}
