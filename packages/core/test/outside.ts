import { readdirSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';

/** Outside readers and files that tests compare with. */
const require = createRequire(import.meta.url);

/** STEP files of several systems, shipped with the geometry reader's package for its tests. */
export const foreignFolder = join(dirname(require.resolve('occt-import-js/package.json')), 'test/testfiles/cax-if');
export const foreignFiles = readdirSync(foreignFolder, { encoding: 'utf8' })
  .filter((name) => /\.stp$/i.test(name))
  .sort();

interface Mesh {
  readonly attributes: { readonly position: { readonly array: number[] } };
}

/** Loads the geometry reader. The returned function gives the corners of every mesh, and throws if there is none. */
export async function openMeshReader(): Promise<(bytes: Uint8Array) => number[][]> {
  const open = require('occt-import-js') as () => Promise<{
    ReadStepFile: (bytes: Uint8Array, options: object | null) => { success: boolean; meshes: Mesh[] };
  }>;
  const reader = await open();
  return (bytes) => {
    const { success, meshes } = reader.ReadStepFile(bytes, null);
    if (!success) throw new Error('The geometry reader does not read the file.');
    return meshes.map((mesh) => mesh.attributes.position.array);
  };
}
