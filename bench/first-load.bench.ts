import { MOST_AT_FIRST, firstLoad } from '../scripts/lib/first-load.mjs';

/* Initial download of the production build, gzipped. */
const { sizes, total } = firstLoad();
console.log('### First load of the page\n');
console.log('| file | kB compressed |');
console.log('|---|---:|');
for (const [name, size] of [...sizes].sort((a, b) => b[1] - a[1])) console.log(`| ${name.replace(/-[A-Z0-9]{8}\./, '.')} | ${(size / 1000).toFixed(1)} |`);
console.log(`| together (at most ${MOST_AT_FIRST / 1000}) | ${(total / 1000).toFixed(1)} |\n`);
if (total > MOST_AT_FIRST) process.exitCode = 1;
