import { CompiledRule, compileRule, contextOf } from '../rules';
import { FileFacts, Kind, PreparedSchema, Property, ruleScope, ruledValue } from '../schema';

/** A naming rule for some kinds and classes. It gives the name without extension. */
export interface NamingRule {
  readonly kinds: readonly Kind[];
  /** Its classes; all if empty. */
  readonly classes: readonly string[];
  readonly rule: string;
  /** What happens to a file whose name no longer matches: rename it, or create a copy under the new name. */
  readonly mode: 'rename' | 'copy';
  /** Folder for copies; the file's own if empty. */
  readonly folder: string;
}

/** A compiled naming rule, or why it cannot run. */
export interface PreparedNaming {
  readonly rule: NamingRule;
  readonly compiled: CompiledRule | null;
  readonly problem: string | null;
}

/** Compiles naming rules. Their references are prepared in the schema. */
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

/** The first rule for a file's kind and class; rules naming the class take precedence. */
export function namingFor<R extends { readonly rule: Pick<NamingRule, 'kinds' | 'classes'> }>(
  rules: readonly R[],
  kind: Kind,
  className: string | null,
): R | null {
  const own = rules.filter(({ rule }) => rule.kinds.includes(kind) && (rule.classes.length === 0 || (className !== null && rule.classes.includes(className))));
  return own.find(({ rule }) => rule.classes.length > 0) ?? own[0] ?? null;
}

const AS_NAME: Property = { type: 'text' } as Property;

/** The file's proper name with extension, or why there is none. */
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

/** Maximum bytes of a file name on common file systems. */
const LONGEST = 255;
/** Device names reserved on a common system (common practice). */
const DEVICES = /^(con|prn|aux|nul|com\d|lpt\d)(\.|$)/i;

/** Why a name is not valid on every common system; `null` if it is. */
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
  /** Library and folder: files with equal keys are in the same folder. */
  readonly folder: string;
  readonly name: string;
  readonly wanted: string | null;
  /** Whether the file gives up its current name; a copy does not. */
  readonly leaves: boolean;
  /** Folder of the wanted name. */
  readonly into: string;
}

/**
 * Refused names with reasons: two files want the same name, or another file keeps it. Names differing only in case are equal, as on some
 * systems.
 * @param others names of other files, by folder
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
