import { FitRule } from '../lettering';
import { count } from '../words';
import { Binding, CellForm, CellPiece, LinkEnd } from './mapping';

const formWords = (form: CellForm): string => {
  const { letters, unit, decimals, inUnit, decimalSign, number, denominator, date, person, scale, outlines } = form;
  return [
    ...(outlines
      ? [outlines.of, ...(outlines.layer ? [`on the layer ${outlines.layer}`] : []), ...(outlines.holes ? [] : ['nested ones not subtracted'])]
      : []),
    ...(inUnit !== undefined ? [`in ${inUnit}`] : []),
    ...(decimals !== undefined ? [`with ${count(decimals, 'decimal')}`] : []),
    ...(number === 'fraction' ? [`as a fraction to 1/${denominator ?? 64}`] : number === 'feet and inches' ? ['in feet and inches'] : []),
    ...(decimalSign === 'comma' ? ['with a decimal comma'] : []),
    ...(unit ? ['with its unit'] : []),
    ...(date !== undefined ? [`as ${date}`] : []),
    ...(person === 'initials' ? ['as initials'] : person === 'short' ? ['with a short first name'] : []),
    ...(scale
      ? [scale.as === 'ratio' ? 'as a ratio' : 'in inches to a foot', scale.rule === 'words' ? `“${scale.words}” where views differ` : scale.rule]
      : []),
    ...(letters === 'as they are' ? [] : [`in ${letters}`]),
  ]
    .map((words) => `, ${words}`)
    .join('');
};

/**
 * A piece of a cell's content in words.
 * @param captionOf caption of a property
 */
export function pieceWords(piece: CellPiece, captionOf: (property: number) => string): string {
  if ('words' in piece) return `“${piece.words}”`;
  if ('fact' in piece) return `${piece.fact}${formWords(piece.form)}`;
  return `${captionOf(piece.property)} of the ${piece.from}${formWords(piece.form)}`;
}

/** The rule for text that does not fit, in words. */
export function fitWords({ steps, narrowest, abbreviations }: FitRule): string {
  if (steps.length === 0) return 'nothing';
  return steps
    .map((step) => {
      if (step === 'narrower letters') return `narrower letters, down to ${narrowest}`;
      if (step === 'abbreviations') return `abbreviations (${abbreviations.map(({ word, short }) => `${word} ${short}`).join(', ') || 'none yet'})`;
      return step === 'lower height' ? 'a lower height' : 'a second line';
    })
    .join(', then ');
}

/** A cell's content in words. */
export function bindingWords({ shows, leads, fit }: Pick<Binding, 'shows' | 'leads' | 'fit'>, captionOf: (property: number) => string): string {
  if (shows.length === 0) return 'nothing';
  return `${shows.map((piece) => pieceWords(piece, captionOf)).join(' + ')}${leads ? ', at home here' : ''}${fit ? `; if too long: ${fitWords(fit)}` : ''}`;
}

/** An end of a link in words. */
export const linkEndWords = (at: LinkEnd, captionOf: (property: number) => string): string =>
  'property' in at
    ? `${captionOf(at.property)}${at.of === 'model' ? ' of the model' : ''}`
    : `${at.place === 'field' ? "the file's own field" : 'the name'} ${JSON.stringify(at.name)}`;

/** A link's addresses in words, in order. */
export const linkEndsWords = (at: readonly LinkEnd[], captionOf: (property: number) => string): string =>
  at.map((end) => linkEndWords(end, captionOf)).join(', else ');
