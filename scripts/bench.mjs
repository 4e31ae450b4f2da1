import { readdirSync } from 'node:fs';
import { cpus } from 'node:os';
import { installPackages } from './lib/install.mjs';
import { checkNode, main, path, run } from './lib/shell.mjs';

await main(async () => {
  checkNode();
  await installPackages();
  console.log(`Measured ${new Date().toISOString().slice(0, 10)}, Node ${process.versions.node}, ${cpus().length} × ${cpus()[0].model.trim()}\n`);
  for (const file of readdirSync(path('bench')).filter((name) => name.endsWith('.bench.ts'))) await run('npx', ['--no-install', 'tsx', path('bench', file)]);
});
