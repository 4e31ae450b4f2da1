#!/usr/bin/env node
import { existsSync } from 'node:fs';

const built = new URL('../dist/main.mjs', import.meta.url);
if (existsSync(built)) await import(built.href);
else {
  console.error('rule: the command line is not built yet. npm start and npm test build it, and so does npm run build:cli.');
  process.exitCode = 3;
}
