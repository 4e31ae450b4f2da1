import { Binding, CellPiece, LinkEnd } from './mapping';

const formWords = ({ letters, unit }: Extract<CellPiece, { readonly form: unknown }>['form']): string =>
  `${unit ? ', with its unit' : ''}${letters === 'as they are' ? '' : `, in ${letters}`}`;

/** One piece of what a cell shows, in words. @param captionOf how people call a property */
export function pieceWords(piece: CellPiece, captionOf: (property: number) => string): string {
  if ('words' in piece) return `“${piece.words}”`;
  if ('fact' in piece) return `${piece.fact}${formWords(piece.form)}`;
  return `${captionOf(piece.property)} of the ${piece.from}${formWords(piece.form)}`;
}

/** What a cell shows, in words. */
export function bindingWords({ shows, leads }: Pick<Binding, 'shows' | 'leads'>, captionOf: (property: number) => string): string {
  if (shows.length === 0) return 'nothing';
  return `${shows.map((piece) => pieceWords(piece, captionOf)).join(' + ')}${leads ? ', at home here' : ''}`;
}

/** Where a link leads, in words. */
export const linkEndWords = (at: LinkEnd, captionOf: (property: number) => string): string =>
  'property' in at ? captionOf(at.property) : `${at.place === 'field' ? "the file's own field" : 'the name'} ${JSON.stringify(at.name)}`;
