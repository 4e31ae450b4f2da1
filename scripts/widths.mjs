import { readFileSync, writeFileSync } from 'node:fs';
import { create } from 'fontkit';
import { format, resolveConfig } from 'prettier';
import { path } from './lib/shell.mjs';

/**
 * Fonts that Rule measures lettering with, by the packages and the files that ship them. `capitals`: height of capitals, in thousandths of
 * the em, of the common font whose advance widths the shipped one has (from memory: 1466, 1356 and 1170 of 2048); the others have their own.
 */
const FONTS = {
  sans: { family: 'Arimo', capitals: 716, files: ['latin', 'latin-ext', 'greek', 'cyrillic'].map((set) => `arimo/files/arimo-${set}-400-normal.woff2`) },
  serif: { family: 'Tinos', capitals: 662, files: ['latin', 'latin-ext', 'greek', 'cyrillic'].map((set) => `tinos/files/tinos-${set}-400-normal.woff2`) },
  mono: { family: 'Cousine', capitals: 571, files: ['latin', 'latin-ext', 'greek', 'cyrillic'].map((set) => `cousine/files/cousine-${set}-400-normal.woff2`) },
  stroke: { family: 'Barlow', files: ['latin', 'latin-ext'].map((set) => `barlow/files/barlow-${set}-400-normal.woff2`) },
  'narrow stroke': {
    family: 'Barlow Semi Condensed',
    files: ['latin', 'latin-ext'].map((set) => `barlow-semi-condensed/files/barlow-semi-condensed-${set}-500-normal.woff2`),
  },
};

/** Letters of European languages, Greek and Cyrillic, and the signs of drawings. */
const RANGES = [
  [0x20, 0x7e],
  [0xa0, 0x17f],
  [0x218, 0x21b],
  [0x386, 0x3ce],
  [0x400, 0x45f],
  [0x2010, 0x2026],
  [0x2030, 0x203a],
  [0x20ac, 0x20ac],
  [0x2116, 0x2126],
  [0x2190, 0x2195],
  [0x2205, 0x2205],
  [0x2212, 0x2212],
  [0x221e, 0x221e],
  [0x2248, 0x2265],
  [0x2300, 0x2300],
];

/** Advance widths in thousandths of the em, as runs of letters that follow each other; letters without a glyph end a run. */
function measured({ family, capitals, files }) {
  const fonts = files.map((file) => create(readFileSync(path('node_modules/@fontsource', file))));
  const runs = [];
  for (const [from, to] of RANGES)
    for (let code = from; code <= to; code++) {
      const font = fonts.find((candidate) => candidate.hasGlyphForCodePoint(code));
      if (!font) continue;
      const width = Math.round((font.glyphForCodePoint(code).advanceWidth * 1000) / font.unitsPerEm);
      const last = runs.at(-1);
      if (last && last.from + last.widths.length === code) last.widths.push(width);
      else runs.push({ from: code, widths: [width] });
    }
  const [first] = fonts;
  const own = Math.round((first.capHeight * 1000) / first.unitsPerEm);
  return { family, capitals: capitals ?? own, drawn: own, runs: runs.map(({ from, widths }) => `${from}:${widths.join(' ')}`) };
}

const target = path('packages/core/src/lettering/widths.ts');
const data = Object.fromEntries(Object.entries(FONTS).map(([name, font]) => [name, measured(font)]));
const source = `/** Made by scripts/widths.mjs from the fonts that Rule ships: in thousandths of the em, the height of capitals of the font that is meant (capitals) and of the shipped one (drawn), and advance widths, runs of them by their first code point. */
export const WIDTHS = ${JSON.stringify(data)} as const;
`;
const formatted = await format(source, { ...(await resolveConfig(target)), parser: 'typescript' });
if (process.argv.includes('--check')) {
  if (readFileSync(target, 'utf8') !== formatted) {
    console.error('The widths of lettering are not those of the fonts: run node scripts/widths.mjs.');
    process.exit(1);
  }
} else writeFileSync(target, formatted);
