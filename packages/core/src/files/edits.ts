/** A splice: replaces `length` bytes at `offset` with `insert`. */
export interface Edit {
  readonly offset: number;
  readonly length: number;
  readonly insert: Uint8Array;
}

const ordered = (edits: readonly Edit[]): Edit[] =>
  edits
    .map((edit, i) => ({ edit, i }))
    .sort((a, b) => a.edit.offset - b.edit.offset || a.i - b.i)
    .map(({ edit }) => edit);

/**
 * Applies edits. Offsets refer to the original; insertions at the same offset keep their order.
 * @throws RangeError if edits overlap or are out of range
 */
export function applyEdits(bytes: Uint8Array, edits: readonly Edit[]): Uint8Array {
  const list = ordered(edits);
  let size = bytes.length;
  let end = 0;
  for (const { offset, length, insert } of list) {
    if (offset < end || length < 0 || offset + length > bytes.length) throw new RangeError('edits overlap or are outside the file');
    end = offset + length;
    size += insert.length - length;
  }
  const out = new Uint8Array(size);
  let from = 0;
  let to = 0;
  for (const { offset, length, insert } of list) {
    out.set(bytes.subarray(from, offset), to);
    to += offset - from;
    out.set(insert, to);
    to += insert.length;
    from = offset + length;
  }
  out.set(bytes.subarray(from), to);
  return out;
}

/** The inverse edits. */
export function invertEdits(bytes: Uint8Array, edits: readonly Edit[]): Edit[] {
  let shift = 0;
  return ordered(edits).map(({ offset, length, insert }) => {
    const inverse = { offset: offset + shift, length: insert.length, insert: new Uint8Array(bytes.subarray(offset, offset + length)) };
    shift += insert.length - length;
    return inverse;
  });
}

const encoder = new TextEncoder();

/** An edit inserting UTF-8 text. */
export const splice = (offset: number, length: number, text: string): Edit => ({ offset, length, insert: encoder.encode(text) });
