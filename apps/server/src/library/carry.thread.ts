import { BlockReading, CarriedBlock, CellStep, FileError, applyEdits, formatById } from '@rule/core/files';
import { cellSteps, carriedBlock, definitionText, openDxf } from '@rule/core/files/dxf';
import { heldText } from '@rule/core/values';
import { readPlain } from '../platform/plain-file';

declare module '../platform/pool' {
  interface Tasks {
    readonly carryBlock: (input: Parameters<typeof carryBlock>[0]) => ReturnType<typeof carryBlock>;
    readonly changeCells: (input: Parameters<typeof changeCells>[0]) => ReturnType<typeof changeCells>;
  }
}

/** A block definition ready to be copied, or why it cannot be. */
export type CarriedFrom =
  { readonly ok: true; readonly carried: CarriedBlock; readonly block: BlockReading; readonly text: string } | { readonly ok: false; readonly message: string };

/** Reads a block definition from a drawing. */
export const carryBlock = ({ full, name }: { readonly full: string; readonly name: string }): Promise<CarriedFrom> =>
  carrying(full, (bytes) => {
    const block = blockIn(bytes, name);
    return block
      ? { ok: true, carried: carriedBlock(bytes, name), block, text: definitionText(block) }
      : { ok: false, message: `The block ${name} has no cells.` };
  });

/** The cells of a block after some changes, as they are read from the drawing once it is written. */
export const changeCells = ({
  full,
  name,
  steps,
}: {
  readonly full: string;
  readonly name: string;
  readonly steps: readonly CellStep[];
}): Promise<CarriedFrom> =>
  carrying(full, (bytes) => {
    const carried = cellSteps(name, steps);
    const change = { holder: '', place: 'block', name, value: heldText(name), definition: carried } as const;
    const after = blockIn(applyEdits(bytes, formatById('dxf').modify(bytes, [change])), name) ?? { name, cells: [], shapes: [] };
    return { ok: true, carried, block: after, text: definitionText(after) };
  });

function blockIn(bytes: Uint8Array, name: string): BlockReading | undefined {
  const block = openDxf(bytes, false).blocks.find((candidate) => candidate.name.toLowerCase() === name.toLowerCase());
  return block && { name: block.name, cells: block.cells, shapes: block.shapes };
}

async function carrying(full: string, work: (bytes: Uint8Array) => CarriedFrom): Promise<CarriedFrom> {
  try {
    return work(await readPlain(full));
  } catch (error) {
    if (error instanceof FileError) return { ok: false, message: error.message };
    const { code } = error as NodeJS.ErrnoException;
    if (code === undefined) throw error;
    return { ok: false, message: `The file cannot be read (${code}).` };
  }
}
