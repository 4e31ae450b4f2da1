import { readFileSync, writeFileSync } from 'node:fs';
import { main as compile } from 'assemblyscript/asc';
import { format, resolveConfig } from 'prettier';
import { Stop, main, path, say } from './lib/shell.mjs';

const SOURCE = 'packages/core/wasm/instances.ts';
const TARGET = path('packages/core/src/files/step/instances.wasm.ts');

/**
 * Builds the core's WebAssembly and writes it as a module, so it needs no loading. --check only verifies that the module matches its
 * source.
 */
await main(async () => {
  let binary;
  const { error, stderr } = await compile(
    [SOURCE, '--outFile', 'out.wasm', '--optimizeLevel', '3', '--runtime', 'stub', '--enable', 'simd', '--initialMemory', '8', '--baseDir', path()],
    { writeFile: (_name, contents) => void (binary = contents) },
  );
  if (error) throw new Stop(`${SOURCE} could not be compiled: ${error.message}\n${stderr}`);
  const module = `/** Built from \`${SOURCE}\` by \`npm run wasm\`. */\nexport const WASM = '${Buffer.from(binary).toString('base64')}';\n`;
  const text = await format(module, { ...(await resolveConfig(TARGET)), parser: 'typescript' });
  if (process.argv.includes('--check')) {
    if (readFileSync(TARGET, 'utf8') !== text) throw new Stop(`${TARGET} is not what ${SOURCE} gives: run npm run wasm.`);
  } else {
    writeFileSync(TARGET, text);
    say(`${binary.length} bytes written`);
  }
});
