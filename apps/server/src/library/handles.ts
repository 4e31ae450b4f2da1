import { invalid } from '../platform/problem';

/** Handles for blocks that are placed in a drawing: each leaves room for its attributes and for what closes them. */
export class FreeHandles {
  private at: bigint | null;

  /** @param next the drawing's next free handle; `null` where it has none */
  constructor(next: string | null) {
    this.at = next === null ? null : BigInt(`0x${next}`);
  }

  /** The holder of a block with so many cells. @throws AppError where the drawing has no handles */
  next(path: string, cells: number): string {
    if (this.at === null) throw invalid('no-handles', `${path} has no handles, so no block can be added. Save it in a newer version.`);
    const handle = this.at.toString(16).toUpperCase();
    this.at += BigInt(cells + 2);
    return `insert:${handle}`;
  }
}
