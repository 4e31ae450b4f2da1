import { parseArgs } from 'node:util';
import { CellWish } from '@rule/core/titleblocks';
import { compareBom, keepBom, sendBom, showBom, whereUsed } from './bom';
import { Outcome, Subject, check, survey } from './commands';
import { sendOut, takeBack } from './exchange';
import { OUTPUTS, Output, show } from './output';
import { people } from './people';
import { exportSchema, importSchema, trySchema } from './schema';
import { RuleServer } from './server';
import { listBlocks, putBlock, showBlock } from './title-blocks';
import { Trouble } from './trouble';

const HELP = `rule survey FOLDER                     the property names that the files of a folder hold
rule survey --library NAME             the same of a library of the server
rule check FOLDER [--schema FILE]      what breaks the schema or is odd, file by file
rule check --library NAME              the same of a library of the server
rule schema export [FILE]              the draft as a JSON document, or with --edition N an edition
rule schema import FILE                takes such a document into the draft, and says what that changes
rule schema try                        tries the draft on all files of the server
rule send-out LAYOUT FILE              values out by a saved layout, to a workbook, CSV, JSON or XML file
rule take-back FILE [--dry-run]        what a table that came back would change
rule take-back FILE --apply            writes what is clear; conflicts, spoiled and refused cells are left and named
rule title-blocks list                 title blocks, what their cells show, and how the cells of all drawings stand
rule title-blocks show BLOCK           its sheets, or with --state STATE those with a cell in that state
rule title-blocks put BLOCK            puts stale and lacking cells in your tray, with --fit texts that are too long as well;
                                       with --apply into the drawings
rule bom show ASSEMBLY                 its bill of materials, with --layout NAME by that layout
rule bom send ASSEMBLY FILE            the same to a CSV file or a workbook
rule bom keep ASSEMBLY TITLE           keeps it as it is now
rule bom compare TITLE ASSEMBLY        what differs between a kept list and the assembly as it is now
rule bom used FILE                     every way from a part up to the top assemblies
rule people                            who there is; needs a token with the scope people
rule people add NAME "WHOLE NAME"      adds somebody, with --role; the first password is said once
rule people role NAME ROLE             viewer, checker, editor or administrator
rule people lock|unlock|reset|remove NAME  keeps somebody out, lets them in again, gives a new first password, removes them

  --server URL      address of the server (or RULE_SERVER; http://127.0.0.1:4310 where nothing is set);
                    with it, a folder is checked against the server's schema
  --schema FILE     a schema in JSON, as "rule schema export" writes it
  --format FORM     xlsx, csv, json or xml, where the ending of the file does not say
  --for NAME        whom a table is sent out for
  --file-by-file    apply every file for itself; otherwise all of them or none
  --column "HEADER=PROPERTY"  what a column of a table stands for; also HEADER=file, HEADER=holder, HEADER=ignored; as often as needed
  --role ROLE       the role of somebody who is added; viewer where nothing is said
  --layout NAME     the layout of a bill of materials; the first one where nothing is said
  --state STATE     stale, "does not fit", "would be erased", lacking, "no model", blank, fixed, computed or right
  --only-blank      take only values for which Rule holds none
  --leave-ambiguous leave rows out whose file name several files have
  --output FORM     table, csv or json
  --quiet           nothing but the rows

A library, a schema, a table, or a folder that is checked against the server's schema needs a token in RULE_TOKEN; make one in Settings.
Exit code: 0 nothing found or notes only, 1 warnings, 2 errors, 3 the command could not be carried out.
`;

const COMMANDS: readonly string[] = ['survey', 'check', 'schema', 'send-out', 'take-back', 'title-blocks', 'bom', 'people'];

/**
 * Runs the command line. Output and errors go to the given writers.
 * @returns the exit code
 */
export async function run(
  args: readonly string[],
  env: Readonly<Record<string, string | undefined>>,
  out: (text: string) => void,
  err: (text: string) => void,
): Promise<number> {
  try {
    return await carryOut(args, env, out, err);
  } catch (error) {
    if (!(error instanceof Trouble)) throw error;
    err(`rule: ${error.message}\n`);
    return 3;
  }
}

function parse(args: readonly string[]) {
  try {
    return parseArgs({
      args: [...args],
      allowPositionals: true,
      options: {
        library: { type: 'string' },
        server: { type: 'string' },
        schema: { type: 'string' },
        edition: { type: 'string' },
        output: { type: 'string', default: 'table' },
        format: { type: 'string' },
        for: { type: 'string', default: '' },
        'dry-run': { type: 'boolean', default: false },
        apply: { type: 'boolean', default: false },
        'file-by-file': { type: 'boolean', default: false },
        column: { type: 'string', multiple: true, default: [] },
        state: { type: 'string' },
        layout: { type: 'string' },
        fit: { type: 'boolean', default: false },
        'only-blank': { type: 'boolean', default: false },
        'leave-ambiguous': { type: 'boolean', default: false },
        role: { type: 'string', default: 'viewer' },
        quiet: { type: 'boolean', default: false },
        help: { type: 'boolean', default: false },
      },
    });
  } catch (error) {
    throw new Trouble(`${error instanceof Error ? error.message : String(error)}\n\n${HELP}`);
  }
}

async function carryOut(
  args: readonly string[],
  env: Readonly<Record<string, string | undefined>>,
  out: (text: string) => void,
  err: (text: string) => void,
): Promise<number> {
  const { values, positionals } = parse(args);
  const [command, folder, ...rest] = positionals;
  if (values.help || command === undefined) {
    out(HELP);
    return values.help ? 0 : 3;
  }
  if (!COMMANDS.includes(command)) throw new Trouble(`There is no command ${JSON.stringify(command)}.\n\n${HELP}`);
  const output = OUTPUTS.find((form) => form === values.output);
  if (!output) throw new Trouble(`--output takes ${OUTPUTS.join(', ')}.`);
  const wantsServer =
    command === 'schema' ||
    command === 'send-out' ||
    command === 'take-back' ||
    command === 'people' ||
    command === 'title-blocks' ||
    command === 'bom' ||
    values.library !== undefined ||
    values.server !== undefined;
  const token = env['RULE_TOKEN'];
  if (wantsServer && !token) throw new Trouble('RULE_TOKEN is not set. Make a token in Settings.');
  const server = wantsServer ? new RuleServer(values.server ?? env['RULE_SERVER'] ?? 'http://127.0.0.1:4310', token!) : null;
  const finish = (outcome: Outcome): number => {
    print(outcome, output, values.quiet, out, err);
    return outcome.worst === 'error' ? 2 : outcome.worst === 'warning' ? 1 : 0;
  };
  if (command === 'schema') return schemaCommand(server!, folder, rest, values.edition, finish, out, values.quiet ? () => undefined : err);
  if (command === 'send-out') {
    const [file, ...more] = rest;
    if (folder === undefined || file === undefined || more.length)
      throw new Trouble('Name a layout and a file: rule send-out "For purchasing" parts.xlsx. Put names with spaces in quotes.');
    const { said } = await sendOut(server!, folder, file, values.format, values.for);
    if (!values.quiet) err(`${said}\n`);
    return 0;
  }
  if (command === 'take-back') {
    if (folder === undefined || rest.length) throw new Trouble('One file at a time. Put names with spaces in quotes.');
    if (values.apply && values['dry-run']) throw new Trouble('Either --apply or --dry-run.');
    const decided = { columns: values.column, onlyBlanks: values['only-blank'], leaveAmbiguous: values['leave-ambiguous'] };
    return finish(await takeBack(server!, folder, values.apply ? (values['file-by-file'] ? 'file by file' : 'whole') : null, decided));
  }
  if (command === 'title-blocks') {
    const [block, ...more] = rest;
    if (more.length) throw new Trouble('One title block at a time. Put names with spaces in quotes.');
    if (folder === 'list' && block === undefined) return finish(await listBlocks(server!));
    if (folder === 'show' && block !== undefined) return finish(await showBlock(server!, block, values.state));
    if (folder === 'put' && block !== undefined) {
      const wishes: CellWish[] = ['stale', 'lacking', ...(values.fit ? (['does not fit'] as const) : [])];
      return finish(await putBlock(server!, block, wishes, values.apply ? (values['file-by-file'] ? 'file by file' : 'whole') : null));
    }
    throw new Trouble(`rule title-blocks takes list, show BLOCK or put BLOCK.\n\n${HELP}`);
  }
  if (command === 'bom') return finish(await bomCommand(server!, folder, rest, values.layout));
  if (command === 'people') return finish(await people(server!, folder === undefined ? [] : [folder, ...rest], values.role));
  if (rest.length) throw new Trouble('One folder at a time. Put names with spaces in quotes.');
  if ((folder === undefined) === (values.library === undefined)) throw new Trouble('Name a folder, or a library with --library.');
  const subject: Subject = {
    folder: folder ?? null,
    library: values.library ?? null,
    server,
    schema: values.schema ?? null,
  };
  return finish(await (command === 'survey' ? survey(subject) : check(subject)));
}

/** `rule bom show | send | keep | compare | used`. */
function bomCommand(server: RuleServer, action: string | undefined, [first, second, ...more]: readonly string[], layout: string | undefined): Promise<Outcome> {
  if (first !== undefined && second === undefined) {
    if (action === 'show') return showBom(server, first, layout);
    if (action === 'used') return whereUsed(server, first);
  }
  if (first !== undefined && second !== undefined && more.length === 0) {
    if (action === 'send') return sendBom(server, first, second, layout);
    if (action === 'keep') return keepBom(server, first, second, layout);
    if (action === 'compare') return compareBom(server, first, second, layout);
  }
  throw new Trouble(
    `rule bom takes show ASSEMBLY, send ASSEMBLY FILE, keep ASSEMBLY TITLE, compare TITLE ASSEMBLY or used FILE. Put names with spaces in quotes.`,
  );
}

/** `rule schema export | import | try`. */
async function schemaCommand(
  server: RuleServer,
  action: string | undefined,
  [file, ...more]: readonly string[],
  edition: string | undefined,
  finish: (outcome: Outcome) => number,
  out: (text: string) => void,
  err: (text: string) => void,
): Promise<number> {
  if (more.length) throw new Trouble('One file at a time. Put names with spaces in quotes.');
  if (edition !== undefined && !/^\d{1,9}$/.test(edition)) throw new Trouble('--edition takes the number of an edition.');
  if (action === 'export') {
    const { json, said } = await exportSchema(server, file ?? null, edition === undefined ? null : Number(edition));
    if (file === undefined) out(json);
    err(`${said}\n`);
    return 0;
  }
  if (action === 'import' && file !== undefined) return finish(await importSchema(server, file));
  if (action === 'try' && file === undefined) return finish(await trySchema(server));
  throw new Trouble(`rule schema takes export, import FILE or try.\n\n${HELP}`);
}

function print({ rows, columns, said }: Outcome, output: Output, quiet: boolean, out: (text: string) => void, err: (text: string) => void): void {
  if (rows.length || output !== 'table') out(show(rows, columns, output));
  // Written to stderr, so that piped output stays a table.
  if (!quiet) err(`${said}\n`);
}
