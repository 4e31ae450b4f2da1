import { BlockReading, CarriedBlock, FileError } from '@rule/core/files';
import { carriedBlock, definitionText, openDxf } from '@rule/core/files/dxf';
import { readPlain } from '../platform/plain-file';

declare module '../platform/pool' {
  interface Tasks {
    readonly carryBlock: (input: Parameters<typeof carryBlock>[0]) => ReturnType<typeof carryBlock>;
  }
}

/** A block definition ready to be copied, or why it cannot be. */
export type CarriedFrom =
  { readonly ok: true; readonly carried: CarriedBlock; readonly block: BlockReading; readonly text: string } | { readonly ok: false; readonly message: string };

/** Reads a block definition from a drawing. */
export async function carryBlock({ full, name }: { readonly full: string; readonly name: string }): Promise<CarriedFrom> {
  try {
    const bytes = await readPlain(full);
    const carried = carriedBlock(bytes, name);
    const block = openDxf(bytes, false).blocks.find((candidate) => candidate.name.toLowerCase() === name.toLowerCase());
    if (!block) return { ok: false, message: `The block ${name} has no cells.` };
    return { ok: true, carried, block: { name: block.name, cells: block.cells, shapes: block.shapes }, text: definitionText(block) };
  } catch (error) {
    if (error instanceof FileError) return { ok: false, message: error.message };
    const { code } = error as NodeJS.ErrnoException;
    if (code === undefined) throw error;
    return { ok: false, message: `The file cannot be read (${code}).` };
  }
}
