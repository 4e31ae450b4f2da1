/** Cell blocks as on the clipboard: tab-separated cells, line-separated rows, quoted where needed (RFC 4180 with tabs; common practice). */
export function readBlock(text: string): string[][] {
  const rows: string[][] = [];
  let row: string[] = [];
  let i = 0;
  const ends = (at: number) => text[at] === '\r' || text[at] === '\n';
  while (i < text.length) {
    let cell: string;
    const closing = text[i] === '"' ? closingQuote(text, i) : -1;
    if (closing >= 0) {
      cell = text.slice(i + 1, closing).replaceAll('""', '"');
      i = closing + 1;
    } else {
      const start = i;
      while (i < text.length && text[i] !== '\t' && !ends(i)) i++;
      cell = text.slice(start, i);
    }
    row.push(cell);
    if (text[i] === '\t') {
      i++;
      // A trailing tab leaves an empty cell.
      if (i < text.length && !ends(i)) continue;
      row.push('');
    }
    if (i < text.length && ends(i)) i += text[i] === '\r' && text[i + 1] === '\n' ? 2 : 1;
    rows.push(row);
    row = [];
  }
  return rows.length === 0 ? [['']] : rows;
}

/** The closing quotation mark of a quoted cell, followed by a tab, line end or the end; -1 if none. */
function closingQuote(text: string, from: number): number {
  for (let i = from + 1; i < text.length; i++) {
    if (text[i] !== '"') continue;
    if (text[i + 1] === '"') i++;
    else return i + 1 === text.length || '\t\r\n'.includes(text[i + 1]!) ? i : -1;
  }
  return -1;
}

/** Clipboard text of a block; the inverse of {@link readBlock}. */
export function writeBlock(rows: readonly (readonly string[])[]): string {
  const quoted = (cell: string) => (/[\t\r\n]/.test(cell) || cell.startsWith('"') ? `"${cell.replaceAll('"', '""')}"` : cell);
  const text = rows.map((row) => row.map(quoted).join('\t')).join('\n');
  // A last row with one empty cell would look like a line end.
  return rows.length > 1 && rows.at(-1)!.join('\t') === '' ? `${text}\n` : text;
}

/** Fits a block to a range: as it is, or repeated if the range is a multiple. */
export function layBlock(block: readonly (readonly string[])[], rows: number, columns: number): readonly (readonly string[])[] {
  const [height, width] = [block.length, Math.max(...block.map((row) => row.length))];
  if (rows % height !== 0 || columns % width !== 0 || (rows === height && columns === width)) return block;
  return Array.from({ length: rows }, (_, r) => Array.from({ length: columns }, (__, c) => block[r % height]![c % width] ?? ''));
}
