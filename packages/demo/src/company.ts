import { BindingDocument, FormInput, Kind, LinkDocument, PLAIN_CELL, PLAIN_OUTLINES, PropertyDraft, newDraft } from '@rule/core/schema';
import { BomColumn, BomContent, factColumn, plainContent, propertyColumn } from '@rule/core/bom';
import type { VaultTableRow } from '@rule/core/vault';
import { MARK_BLOCK, ROW_BLOCK } from './sheet';

/** A record field; defaults to plain unlimited text. */
interface DemoField {
  readonly name: string;
  readonly type?: 'text' | 'number' | 'date' | 'yes or no' | 'list';
  readonly length?: number;
  readonly choices?: readonly string[];
  readonly required?: boolean;
  readonly kinds?: readonly ('part' | 'assembly' | 'drawing' | 'document')[];
  readonly fixed?: boolean;
}

/** A BOM layout as created. */
interface BomLayoutShape {
  readonly name: string;
  readonly purpose: string;
  readonly shared: boolean;
  readonly content: BomContent;
}

/** The demo company. All names, people and numbers are invented. */
export const DEMO_COMPANY = 'Marrowby Roaster Works';
export const DEMO_PASSWORD = 'drum-roaster-15';

export const DEMO_USERS = [
  { name: 'varga', displayName: 'Edda Varga', role: 'administrator' },
  { name: 'okafor', displayName: 'Tobe Okafor', role: 'editor' },
  { name: 'lindqvist', displayName: 'Runa Lindqvist', role: 'editor' },
  { name: 'haas', displayName: 'Jori Haas', role: 'checker' },
  { name: 'guest', displayName: 'Guest', role: 'viewer' },
] as const;

const property = (writtenName: string, more: Partial<PropertyDraft>): PropertyDraft => ({ ...newDraft(writtenName), kinds: ['part', 'assembly'], ...more });

export const DEMO_PROPERTIES: readonly PropertyDraft[] = [
  property('Part number', {
    kinds: ['part', 'assembly', 'drawing'],
    required: true,
    minLength: 5,
    maxLength: 20,
    placeholder: 'DR15-000',
    help: 'Unique in the company. Bought parts begin with BP.',
  }),
  property('Description', {
    kinds: ['part', 'assembly', 'drawing'],
    required: true,
    maxLength: 40,
    placeholder: 'what it is',
    help: 'In the words of the BOM, singular, no part number.',
  }),
  property('Revision', { kinds: ['part', 'assembly', 'drawing'], required: true, maxLength: 2, placeholder: 'index' }),
  property('Material', {
    kinds: ['part'],
    type: 'choice',
    required: true,
    choices: ['1.4301', '1.4404', 'S235JR', 'DC01', '100Cr6', 'steel 8.8', 'various'],
    placeholder: 'material',
    help: 'Number or short name as on the certificate.',
  }),
  property('Finish', {
    kinds: ['part'],
    type: 'choice',
    choices: ['brushed', 'polished', 'bead blasted', 'black oxide', 'zinc plated', 'powder coat RAL 9005'],
    placeholder: 'finish',
  }),
  property('Mass', { type: 'number', unit: 'kg', decimals: 3, min: 0, placeholder: '0.000' }),
  property('Make or buy', { type: 'choice', required: true, choices: ['made', 'bought'] }),
  property('Supplier', { kinds: ['part'], maxLength: 60, placeholder: 'supplier' }),
  property('Order number', { kinds: ['part'], maxLength: 30, help: "The supplier's number to the letter, leading zeros included." }),
  property('Food contact', { kinds: ['part'], type: 'yesno', help: 'Yes for everything that beans or chaff can touch.' }),
  property('Drawn by', { kinds: ['drawing'], required: true, maxLength: 40 }),
  property('Date of issue', { kinds: ['drawing'], type: 'date', placeholder: 'YYYY-MM-DD' }),
  property('Sheets', { kinds: ['drawing'], type: 'whole', min: 1, max: 99 }),
  property('Model', { kinds: ['drawing'], maxLength: 120, help: 'File name of the part or assembly that the drawing shows.' }),
  property('Saved by', {
    kinds: ['part', 'assembly'],
    feed: 'file',
    fileField: 'author',
    help: 'Who saved the file last, as its program wrote it.',
  }),
  property('Last saved by', {
    kinds: ['drawing'],
    feed: 'file',
    fileField: 'last saved by',
    help: 'Who saved the drawing last, as its program wrote it.',
  }),
  property('Tightening torque', {
    kinds: ['assembly'],
    level: 'occurrence',
    type: 'number',
    unit: 'N·m',
    min: 0,
    help: 'Of this one placed part; the same bearing is tightened otherwise elsewhere.',
  }),
  property('Lubrication interval', {
    kinds: ['assembly'],
    level: 'occurrence',
    type: 'number',
    unit: 'h',
    min: 0,
    help: 'Hours between greasing, where the part sits.',
  }),
  property('Customer', { kinds: ['drawing'], feed: 'inherited', inheritFrom: 'project', maxLength: 30, help: 'Kept once with the project.' }),
  property('Issued for', {
    kinds: ['drawing'],
    feed: 'inherited',
    inheritFrom: 'drawing set',
    maxLength: 20,
    help: 'Kept once with the drawing set: tender, approval, making.',
  }),
  property('Sheet number', {
    kinds: ['drawing'],
    level: 'sheet',
    maxLength: 7,
    help: 'Number of the sheet and of all sheets, as 1/3.',
  }),
];

/** A demo form: properties by written name, with deviations from the schema. */
interface DemoForm {
  readonly name: string;
  readonly kinds: readonly Kind[];
  readonly classes: readonly string[];
  readonly panels: readonly { readonly title: string; readonly inputs: readonly (readonly [writtenName: string, change?: Partial<FormInput>])[] }[];
}

export const DEMO_FORMS: readonly DemoForm[] = [
  {
    name: 'Bought part',
    kinds: ['part'],
    classes: ['bought part'],
    panels: [
      { title: 'Identity', inputs: [['Part number'], ['Description', { width: 2 }], ['Revision'], ['Make or buy', { look: 'option buttons' }]] },
      {
        title: 'Buying',
        inputs: [['Supplier', { width: 2, requiredWhen: 'Make or buy = "bought"' }], ['Order number', { requiredWhen: 'Make or buy = "bought"' }], ['Mass']],
      },
    ],
  },
  {
    name: 'Part',
    kinds: ['part'],
    classes: [],
    panels: [
      { title: 'Identity', inputs: [['Part number'], ['Description', { width: 2 }], ['Revision'], ['Make or buy', { look: 'option buttons' }]] },
      { title: 'Making', inputs: [['Material'], ['Finish'], ['Mass'], ['Food contact']] },
      {
        title: 'Buying',
        inputs: [
          ['Supplier', { width: 2, shownWhen: 'Make or buy = "bought"', requiredWhen: 'Make or buy = "bought"', whenHidden: 'ask' }],
          ['Order number', { shownWhen: 'Make or buy = "bought"', whenHidden: 'clear' }],
        ],
      },
    ],
  },
  {
    name: 'Assembly',
    kinds: ['assembly'],
    classes: [],
    panels: [
      { title: 'Identity', inputs: [['Part number'], ['Description', { width: 2 }], ['Revision'], ['Make or buy', { look: 'option buttons' }], ['Mass']] },
      {
        title: 'Placed parts',
        inputs: [
          ['Tightening torque', { width: 2 }],
          ['Lubrication interval', { width: 2 }],
        ],
      },
    ],
  },
  {
    name: 'Drawing',
    kinds: ['drawing'],
    classes: [],
    panels: [
      { title: 'Identity', inputs: [['Part number'], ['Description', { width: 2 }], ['Revision'], ['Model', { width: 2 }]] },
      { title: 'Drawing', inputs: [['Drawn by'], ['Date of issue'], ['Sheets'], ['Sheet number']] },
      { title: 'Project', inputs: [['Customer', { width: 2 }]] },
    ],
  },
];

/** Demo projects and drawing sets, values by written name. */
export const DEMO_PROJECTS = [
  { level: 'project', name: 'Halden Mill', clauses: [{ subject: 'folder', operator: 'contains', text: 'Halden Mill' }] },
  { level: 'project', name: 'Tern Street', clauses: [{ subject: 'folder', operator: 'contains', text: 'Tern Street' }] },
  { level: 'drawing set', name: 'Halden Mill, installation', clauses: [{ subject: 'folder', operator: 'contains', text: 'Halden Mill/drawings' }] },
  { level: 'drawing set', name: 'DR-15, first issue', clauses: [{ subject: 'folder', operator: 'is', text: 'DR-15/drawings' }] },
] as const;

const BLOCK = 'MRW-TITLE';

const shows = (cell: string, property: string, from: 'model' | 'drawing', unit = false): BindingDocument => ({
  block: BLOCK,
  cell,
  leads: false,
  shows: [{ property, from, form: { ...PLAIN_CELL, unit } }],
});

export const DEMO_BINDINGS: readonly BindingDocument[] = [
  shows('TITLE', 'Description', 'model'),
  shows('PARTNO', 'Part number', 'model'),
  shows('MATL', 'Material', 'model'),
  shows('MASS', 'Mass', 'model', true),
  shows('DRAWN', 'Drawn by', 'drawing'),
  shows('DATE', 'Date of issue', 'drawing'),
  shows('REV', 'Revision', 'drawing'),
  { block: 'HM-SHEET', cell: 'FILE', leads: false, shows: [{ fact: 'file name', form: PLAIN_CELL }] },
  {
    block: 'ROOM-LABEL',
    cell: 'AREA',
    leads: false,
    shows: [{ fact: 'outline area', form: { ...PLAIN_CELL, unit: true, decimals: 1, outlines: { ...PLAIN_OUTLINES, layer: 'ROOMS' } } }],
  },
  // Sheet numbers are typed on the sheet, in any block with the cell.
  { block: null, cell: 'SHEET', leads: true, shows: [{ property: 'Sheet number', from: 'sheet', form: PLAIN_CELL }] },
];

/**
 * BOM layouts of the demo.
 * @param property property id by name
 * @param classOf class id by name
 */
export function demoLayouts(property: (name: string) => number, classOf: (name: string) => number): BomLayoutShape[] {
  const columns = (...names: string[]) => names.map((name) => propertyColumn(property(name)));
  const summed = (column: BomColumn): BomColumn => ({ ...column, sum: true });
  const parts = plainContent(['Part number', 'Description', 'Material', 'Mass', 'Make or buy'].map(property));
  return [
    {
      name: 'Parts list',
      purpose: 'What is placed directly in an assembly, as it stands on its drawing.',
      shared: true,
      content: {
        ...parts,
        columns: [...parts.columns.slice(0, 2), factColumn('picture'), ...parts.columns.slice(2)],
        drawn: {
          block: ROW_BLOCK,
          cells: [
            { tag: 'POS', of: { fact: 'item' } },
            { tag: 'QTY', of: { fact: 'quantity' } },
            { tag: 'PARTNO', of: { property: property('Part number') } },
            { tag: 'DESCR', of: { property: property('Description') } },
            { tag: 'MATL', of: { property: property('Material') } },
          ],
          growth: 'up',
          rowsPerColumn: null,
          side: 'left',
          marks: { block: MARK_BLOCK, tag: 'POS' },
        },
      },
    },
    {
      name: 'Structure',
      purpose: 'All levels, with the values that placed parts have of their own.',
      shared: true,
      content: {
        ...plainContent([]),
        structure: 'indented',
        bodies: true,
        columns: [
          factColumn('item'),
          factColumn('quantity'),
          factColumn('total'),
          factColumn('part'),
          ...columns('Description', 'Material', 'Tightening torque'),
          summed(factColumn('mass')),
        ],
      },
    },
    {
      name: 'Welded parts',
      purpose: 'What is cut for welded parts: every body with its length and cross-section, equal ones together.',
      shared: true,
      content: {
        ...plainContent([]),
        structure: 'indented',
        bodies: true,
        columns: [
          factColumn('item'),
          factColumn('total'),
          factColumn('part'),
          factColumn('picture'),
          factColumn('length'),
          factColumn('section'),
          ...columns('Material'),
          summed(factColumn('mass')),
        ],
      },
    },
    {
      name: 'Purchasing',
      purpose: 'What has to be bought for one machine, over all levels, by supplier.',
      shared: true,
      content: {
        ...plainContent([]),
        structure: 'summed',
        group: { property: property('Supplier') },
        numbers: { start: 10, step: 10, reuse: false },
        classes: [{ class: classOf('made part'), rule: 'leave out', property: null }],
        columns: [
          factColumn('item'),
          factColumn('quantity'),
          ...columns('Part number', 'Description', 'Supplier', 'Order number'),
          summed(columns('Mass')[0]!),
        ],
      },
    },
  ];
}

/** A list kept of an earlier drum unit: before the fourth arm, with unsealed bearings and a shaft integral with the drum. */
export const DEMO_KEPT = {
  path: 'DR-15/assemblies/drum-unit.step',
  title: 'Drum unit, first batch',
  at: '2026-06-12T09:30:00Z',
  by: 'Edda Varga',
  headers: ['Item', 'Quantity', 'Part file', 'Part number', 'Description', 'Material'],
  rows: [
    ['1', '1', 'DR-15/parts/drum.step', 'DR15-110', 'Drum, 15 kg', '1.4301'],
    ['2', '3', 'DR-15/parts/agitator-arm.step', 'DR15-115', 'Agitator arm', '1.4301'],
    ['3', '2', 'bought parts/drum-bearing.step', 'BP-6204', 'Drum bearing', '100Cr6'],
    ['4', '2', '', 'BP-FELT12', 'Felt seal', 'wool'],
  ],
} as const;

/** A demo link; by default both sides are equal. */
const link = (field: string, kinds: readonly Kind[], at: LinkDocument['at'][number] | LinkDocument['at'], more: Partial<LinkDocument> = {}): LinkDocument => ({
  field,
  kinds,
  classes: [],
  at: Array.isArray(at) ? (at as LinkDocument['at']) : [at as LinkDocument['at'][number]],
  in: 'always',
  out: 'always',
  onClash: 'ask',
  states: [],
  step: null,
  ...more,
});
const OF_THE_FILE = { in: 'always', out: 'never', onClash: "take the file's" } as const;

/** One link per lead. During checking, the file leads for the material. */
export const DEMO_LINKS: readonly LinkDocument[] = [
  link('Number', ['part', 'assembly', 'drawing'], { property: 'Part number' }, OF_THE_FILE),
  link('Title', ['part', 'assembly'], { property: 'Description' }, { out: 'when blank' }),
  link('Title', ['drawing'], [{ property: 'Description' }, { property: 'Description', of: 'model' }], OF_THE_FILE),
  link('Material', ['part'], { property: 'Material' }, { states: [{ state: 'in check', ...OF_THE_FILE }] }),
  link('Mass kg', ['part'], { property: 'Mass' }, OF_THE_FILE),
  link('Supplier', ['part'], { property: 'Supplier' }, { in: 'when blank', onClash: "take the record's" }),
  link('Food contact', ['part'], { property: 'Food contact' }, { in: 'never', out: 'always', onClash: "take the record's" }),
  link(
    'Released on',
    ['part', 'assembly', 'drawing'],
    { place: 'property', name: 'Released on' },
    { in: 'never', onClash: "take the record's", step: 'release' },
  ),
];

/**
 * Record fields. Some match the schema; Material and Mass kg are plain text against a choice and a number, Title is shorter than the
 * description, and three exist only in the vault.
 */
export const DEMO_FIELDS: readonly DemoField[] = [
  { name: 'Number', length: 20, required: true },
  { name: 'Title', length: 36 },
  { name: 'Material', kinds: ['part'] },
  { name: 'Mass kg', length: 20, kinds: ['part', 'assembly'] },
  { name: 'Supplier', length: 60, kinds: ['part', 'assembly'] },
  { name: 'Food contact', type: 'list', choices: ['yes', 'no', 'indirect'], kinds: ['part'] },
  { name: 'Keep until', type: 'date', kinds: ['document'] },
  { name: 'Released by', length: 60, fixed: true },
  { name: 'Released on', type: 'date', fixed: true },
];

/** Fields set by workflow steps. */
export const DEMO_STEP_SETS = { release: { 'Released by': '{person}', 'Released on': '{date}' } } as const;

/** The vault's link table; one name has an extra blank. */
export const DEMO_VAULT_TABLE: readonly VaultTableRow[] = [
  { field: 'Number', kind: 'part', name: 'Part number' },
  { field: 'Number', kind: 'assembly', name: 'Part number' },
  { field: 'Number', kind: 'drawing', name: 'Part number' },
  { field: 'Title', kind: 'part', name: 'Description' },
  { field: 'Material', kind: 'part', name: 'Material ' },
  { field: 'Mass kg', kind: 'part', name: 'Mass' },
  { field: 'Supplier', kind: 'part', name: 'Supplier' },
];

/** Non-empty records by path, and states other than open. */
export const DEMO_RECORDS: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  'DR-15/parts/face-plate.step': { Number: 'DR15-101', Title: 'Face plate', Material: 'S235JR' },
  'DR-15/parts/bean-hopper.step': { Number: 'DR15-130', Title: 'Hopper for beans', Material: '1.4301' },
  'DR-15/parts/slide-gate.step': { Number: 'DR15-131', Material: '1.4301' },
  'DR-15/parts/drum-shaft.step': { Number: 'DR15-112', Title: 'Drum shaft', Material: '1.4404', 'Food contact': 'yes' },
  'DR-15/parts/frame-leg.step': { Number: 'DR15-170', Title: 'Frame leg 40 x 40 x 3', Material: 'S235JR', 'Food contact': 'no' },
  'DR-15/parts/tray-rail.step': { Number: 'DR15-171', Title: 'Tray rail', 'Food contact': 'indirect' },
  'DR-15/parts/trier.step': { Number: 'DR15-180', Title: 'Trier with handle', Material: '1.4301' },
  'DR-15/parts/chimney-stub.step': { 'Released by': 'Jori Haas', 'Released on': '2026-11-02' },
  'bought parts/gear-motor.step': { Number: 'BP-GM40', Title: 'Gear motor 40 W', Supplier: 'Otterby Drives' },
  'bought parts/drum-bearing.step': { Number: 'BP-6204', Title: 'Drum bearing, sealed', Supplier: 'Ostrelle Bearings' },
};

/** Files not open in the vault, and who set the state. */
export const DEMO_STATES: Readonly<Record<string, { readonly state: string; readonly by: string }>> = {
  'DR-15/parts/chimney-stub.step': { state: 'released', by: 'Jori Haas' },
  'DR-15/parts/frame-leg.step': { state: 'in check', by: 'Runa Lindqvist' },
};

/** A rehearsal made before any check-in: the bean hopper's title clashes. */
export const DEMO_REHEARSAL = { title: 'Before the first check-in', by: 'Edda Varga' } as const;

/** A file with a newer version in the vault, checked in by another program. */
export const DEMO_NEWER = {
  path: 'DR-15/parts/tray-rail.step',
  end: '/* hole moved by 2 mm */\n',
  by: 'Hedda Novak',
  comment: 'hole moved by 2 mm',
} as const;

/** Scans that exist only in the vault, with almost empty records. An old register describes them: `tables/scans.csv`. */
export const DEMO_SCANS: readonly { readonly path: string; readonly text: string; readonly record: Readonly<Record<string, string>> }[] = [
  { path: 'scans/DR-3 approval.pdf', text: 'DR-3, approval of the gas burner', record: { Number: 'S-0301' } },
  { path: 'scans/DR-3 drum.pdf', text: 'DR-3, drum, drawn by hand in 1987', record: { Number: 'S-0302' } },
  { path: 'scans/DR-3 frame.pdf', text: 'DR-3, frame, drawn by hand in 1987', record: { Number: 'S-0303' } },
  { path: 'scans/DR-3 manual.pdf', text: 'DR-3, manual', record: { Number: 'S-0304', Title: 'Manual' } },
];

/** The vault's kind of a file. */
export const demoEntryKind = (path: string): 'part' | 'assembly' | 'drawing' | 'document' =>
  path.includes('/assemblies/') ? 'assembly' : path.endsWith('.step') ? 'part' : path.endsWith('.dxf') ? 'drawing' : 'document';

/** Demo classes in order of precedence. For bought parts the written mass leads, as their models are hollow. */
export const DEMO_CLASSES = [
  {
    name: 'bought part',
    clauses: [
      { subject: 'kind', operator: 'is', text: 'part' },
      { subject: 'value', name: 'Make or buy', operator: 'is', text: 'bought' },
    ],
    statedMass: true,
  },
  { name: 'DR-5 purchase', clauses: [{ subject: 'folder', operator: 'is', text: 'DR-5/purchased' }], statedMass: true },
  { name: 'made part', clauses: [{ subject: 'kind', operator: 'is', text: 'part' }], statedMass: false },
  { name: 'scan', clauses: [{ subject: 'file name', operator: 'ends with', text: '.pdf' }], statedMass: false },
] as const;

/** Densities in kg/m³ (from memory; for the demo only). */
export const DEMO_DENSITIES = [
  { material: '1.4301', density: 7900 },
  { material: '1.4404', density: 7980 },
  { material: 'S235JR', density: 7850 },
  { material: 'DC01', density: 7850 },
  { material: '100Cr6', density: 7850 },
  { material: 'steel 8.8', density: 7850 },
] as const;

/** Company synonyms, besides the general ones. */
export const DEMO_SYNONYMS = [
  ['1.4301', '304 stainless', 'stainless 304', 'SS 304', 'SS304', 'X5CrNi18-10'],
  ['mild steel', 'MS'],
] as const;
