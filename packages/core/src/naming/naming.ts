import { CompiledRule, compileRule, contextOf } from '../rules';
import { FileFacts, Kind, PreparedSchema, Property, ruleScope, ruledValue } from '../schema';

/** How files of some kinds and classes are named. The rule gives the name without its ending. */
export interface NamingRule {
  readonly kinds: readonly Kind[];
  /** Classes that it is for; all when empty. */
  readonly classes: readonly string[];
  readonly rule: string;
  /** What happens to a file whose name no longer fits: it gets the new name, or a copy under the new name is made and it stays as it is. */
  readonly mode: 'rename' | 'copy';
  /** Folder of the library that copies are put in; the file's own when empty. */
  readonly folder: string;
}

/** A naming rule that is ready to run, or why it cannot. */
export interface PreparedNaming {
  readonly rule: NamingRule;
  readonly compiled: CompiledRule | null;
  readonly problem: string | null;
}

/** Compiles naming rules. What they look at is made ready in the schema. */
export function prepareNaming(rules: readonly NamingRule[], schema: PreparedSchema): PreparedNaming[] {
  const scope = ruleScope(schema.schema.properties, { clock: false });
  return rules.map((rule) => {
    const compiled = compileRule(rule.rule, scope);
    if (!compiled.ok) return { rule, compiled: null, problem: compiled.problems[0]!.message };
    if (!['string', 'any'].includes(compiled.value.type.kind)) return { rule, compiled: null, problem: 'A file name must be text.' };
    schema.need(compiled.value);
    return { rule, compiled: compiled.value, problem: null };
  });
}

/** The rule for a file: the first that is for its kind and class, one that names the class before one that names none. */
export function namingFor<R extends { readonly rule: Pick<NamingRule, 'kinds' | 'classes'> }>(
  rules: readonly R[],
  kind: Kind,
  className: string | null,
): R | null {
  const own = rules.filter(({ rule }) => rule.kinds.includes(kind) && (rule.classes.length === 0 || (className !== null && rule.classes.includes(className))));
  return own.find(({ rule }) => rule.classes.length > 0) ?? own[0] ?? null;
}

const AS_NAME: Property = { type: 'text' } as Property;

/** What a file should be called, with its ending, or why that cannot be said. */
export function nameFor(file: FileFacts, naming: PreparedNaming, schema: PreparedSchema): { readonly name: string | null; readonly problem: string | null } {
  if (!naming.compiled) return { name: null, problem: naming.problem };
  const outcome = naming.compiled.evaluate(contextOf(Object.entries(schema.ownNames(file))), { ...schema.host(), instant: null });
  if (!outcome.ok) return { name: null, problem: outcome.message };
  const { value, failure } = ruledValue(outcome.value, AS_NAME);
  if (failure !== undefined) return { name: null, problem: failure };
  const text = value?.text.trim() ?? '';
  if (text === '') return { name: null, problem: 'the rule has no result: a value it needs is blank' };
  const dot = file.name.lastIndexOf('.');
  const name = `${text}${dot > 0 ? file.name.slice(dot) : ''}`;
  return { name, problem: illegal(name) };
}

/** Bytes that a file name may have on common file systems. */
const LONGEST = 255;
/** Names that one of the common systems keeps for devices (common practice). */
const DEVICES = /^(con|prn|aux|nul|com\d|lpt\d)(\.|$)/i;

/** Why a name cannot be on every common system; `null` when it can. */
export function illegal(name: string): string | null {
  const bad = [...new Set(name.match(/[\\/:*?"<>|\u0000-\u001f]/g) ?? [])];
  if (bad.length) return `holds ${bad.map((c) => (c < ' ' ? 'a control character' : c)).join(' ')}; file names cannot contain this`;
  if (/[. ]$/.test(name.replace(/\.[^.]*$/, '')) || name.startsWith('.') || name.startsWith(' ')) return 'begins or ends with a full stop or a blank';
  if (DEVICES.test(name)) return 'is a reserved device name on some systems';
  return new TextEncoder().encode(name).length > LONGEST ? `is longer than ${LONGEST} bytes` : null;
}

/** A file that has or wants a name in a folder. */
export interface NamedFile {
  readonly id: number;
  /** The folder, with its library: files with one key here stand side by side. */
  readonly folder: string;
  readonly name: string;
  readonly wanted: string | null;
  /** Whether the file leaves its name when it gets the wanted one. A copy leaves it where it is. */
  readonly leaves: boolean;
  /** The folder that the wanted name is for. */
  readonly into: string;
}

/**
 * Names that cannot be given, with the reason: two files want the same name in one folder, or a file is there that keeps its name.
 * Names that differ only in case count as the same, since some systems do not tell them apart.
 * @param others names of files that are not among those that are named, by folder
 */
export function collisions(files: readonly NamedFile[], others: ReadonlyMap<string, ReadonlySet<string>>): Map<number, string> {
  const found = new Map<number, string>();
  const key = (folder: string, name: string) => `${folder}\n${name.toLowerCase()}`;
  const wanting = files.filter((file) => file.wanted !== null && (file.wanted !== file.name || file.into !== file.folder));
  const wants = new Map<string, NamedFile[]>();
  for (const file of wanting) wants.set(key(file.into, file.wanted!), [...(wants.get(key(file.into, file.wanted!)) ?? []), file]);
  const stays = new Map<string, NamedFile>();
  const going = new Set(wanting.filter((file) => file.leaves));
  for (const file of files) if (!going.has(file)) stays.set(key(file.folder, file.name), file);
  for (const file of wanting) {
    const at = key(file.into, file.wanted!);
    const rival = wants.get(at)!.find((other) => other.id !== file.id);
    const standing = stays.get(at);
    if (rival) found.set(file.id, `${rival.name} would get the same name`);
    else if ((standing && standing.id !== file.id) || (standing && !file.leaves)) found.set(file.id, 'a file with this name already exists');
    else if ([...(others.get(file.into) ?? [])].some((name) => name.toLowerCase() === file.wanted!.toLowerCase()))
      found.set(file.id, 'a file with this name already exists');
  }
  return found;
}
