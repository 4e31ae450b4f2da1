import { Settings } from '@rule/contract';

/** Settings edited as one entry per line. */
export const AREAS = [
  {
    key: 'workflowStates',
    label: 'Workflow states of documents in order, one per line',
    rows: 4,
    help: 'Used to say from which state a property is required and in which it may be changed. A vault has its own states.',
  },
  {
    key: 'standIns',
    label: 'Stand-ins, one per line',
    rows: 8,
    help: 'Texts that look like values and count as blank. A character followed by * means one or more of it; a letter must occur at least twice.',
  },
  { key: 'densities', label: 'Densities in kg/m³, one per line: material = density', rows: 6, help: 'For models that state no density.' },
  {
    key: 'abbreviations',
    label: 'Abbreviations in names, one per line: abbreviation = meaning',
    rows: 8,
    help: 'Survey uses them to find names that mean the same.',
  },
  {
    key: 'synonyms',
    label: 'Values that mean the same, one group per line, separated by semicolons',
    rows: 6,
    help: 'Survey groups them when it analyses the values of a name.',
  },
] as const;
export type AreaKey = (typeof AREAS)[number]['key'];

/** The lists as text. */
export const textsOf = (settings: Settings): Record<AreaKey, string> => ({
  workflowStates: settings.workflowStates.join('\n'),
  standIns: settings.standIns.join('\n'),
  densities: settings.densities.map(({ material, density }) => `${material} = ${density}`).join('\n'),
  abbreviations: settings.abbreviations.map(({ short, long }) => `${short} = ${long}`).join('\n'),
  synonyms: settings.synonyms.map((group) => group.join('; ')).join('\n'),
});

/** Parses an area; reports the first invalid line. */
export function readArea(key: AreaKey, text: string): Partial<Settings> | { readonly problem: string } {
  const lines = text.split('\n').filter((line) => line.trim() !== '');
  if (key === 'workflowStates') {
    const states = lines.map((line) => line.trim());
    const twice = states.find((state, i) => states.indexOf(state) < i);
    return twice === undefined ? { workflowStates: states } : { problem: `“${twice}” stands twice.` };
  }
  if (key === 'standIns') return { standIns: lines };
  if (key === 'synonyms') {
    const groups = lines.map((line) =>
      line
        .split(';')
        .map((word) => word.trim())
        .filter((word) => word !== ''),
    );
    const lonely = groups.find((group) => group.length < 2);
    return lonely ? { problem: `“${lonely.join('')}” is alone: a group needs at least two values.` } : { synonyms: groups };
  }
  const pairs = lines.map((line) => {
    const at = line.lastIndexOf('=');
    return { line, left: line.slice(0, Math.max(0, at)).trim(), right: line.slice(at + 1).trim() };
  });
  const broken = pairs.find(({ left, right }) => left === '' || right === '');
  if (broken) return { problem: `“${broken.line}” is not of the form: one = other.` };
  if (key === 'abbreviations') return { abbreviations: pairs.map(({ left, right }) => ({ short: left, long: right })) };
  const densities = pairs.map(({ left, right }) => ({ material: left, density: Number(right.replace(',', '.')) }));
  const wrong = densities.find(({ density }) => !(density > 0 && density <= 100_000));
  return wrong ? { problem: `The density of ${wrong.material} is not a number between 0 and 100000.` } : { densities };
}
