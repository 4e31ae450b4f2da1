import { readdirSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';

/** Readers and files from outside the project, by which tests judge what Rule reads and writes. */
const require = createRequire(import.meta.url);

/** STEP files of several systems, which the geometry reader ships in its package for its own tests. */
export const foreignFolder = join(dirname(require.resolve('occt-import-js/package.json')), 'test/testfiles/cax-if');
export const foreignFiles = readdirSync(foreignFolder, { encoding: 'utf8' })
  .filter((name) => /\.stp$/i.test(name))
  .sort();

interface Mesh {
  readonly attributes: { readonly position: { readonly array: number[] } };
}

/** Opens the geometry reader. The function that it gives returns the corners of every mesh, or throws where there is none. */
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
