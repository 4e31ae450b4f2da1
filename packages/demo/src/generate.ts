import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { FileChange, applyEdits, formatOf } from '@rule/core/files';
import { HeldValue, heldText } from '@rule/core/values';
import { strToU8, zipSync } from 'fflate';
import { AnyShape } from 'replicad';
import { DRAWINGS } from './drawings';
import { INHERITED_ASSEMBLIES, INHERITED_DOCUMENTS, INHERITED_DRAWINGS, INHERITED_PARTS } from './inherited';
import { Kernel, Placement } from './kernel';
import { ASSEMBLIES, DemoAssembly, LOOSE, PARTS } from './parts';
import { scannedPage } from './scan';
import { writeSheet } from './sheet';
import { SITE_DRAWINGS, siteDrawing } from './site-drawings';

const UNIT_OF: Readonly<Record<string, string>> = { Mass: 'kg', 'Tightening torque': 'N·m', 'Lubrication interval': 'h', Weight: 'lb' };

const held = (name: string, value: string | number | boolean): HeldValue => {
  if (typeof value === 'boolean') return { text: value ? 'yes' : 'no', form: 'boolean' };
  if (typeof value === 'number') return { text: String(value), form: 'measure', unit: UNIT_OF[name]! };
  return heldText(value);
};

const changes = (holder: string, values: Readonly<Record<string, string | number | boolean>>): FileChange[] =>
  Object.entries(values).map(([name, value]) => ({ holder, place: 'property', name, value: held(name, value) }));

const inPackage = (...parts: string[]) => join(dirname(fileURLToPath(import.meta.url)), '..', ...parts);

const withValues = (path: string, bytes: Uint8Array, list: readonly FileChange[]) => applyEdits(bytes, formatOf(path)!.modify(bytes, list));

/** Writes files into a recreated folder. */
function into(folder: string): (path: string, bytes: Uint8Array) => void {
  const root = inPackage(folder);
  rmSync(root, { recursive: true, force: true });
  return (path, bytes) => {
    const target = join(root, path);
    mkdirSync(dirname(target), { recursive: true });
    writeFileSync(target, bytes);
    console.log(`${folder}/${path}  ${bytes.length} bytes`);
  };
}

/** Generates the demo library into `packages/demo/library`. */
function generateLibrary(kernel: Kernel): void {
  const put = into('library');
  const solids = new Map<string, AnyShape>([[LOOSE.id, LOOSE.solid()]]);
  for (const part of PARTS) {
    const solid = part.solid();
    solids.set(part.id, solid);
    const mass = Math.round(kernel.volume(solid) * part.density * 1e-3) / 1000;
    const bytes = named(kernel.write(part.id, new Map([[part.id, solid]]), new Map(), part.drawnBy), new Map([[part.id, part.name]]));
    put(part.path, withValues(part.path, bytes, changes('', { ...part.values, Mass: mass })));
  }
  putAssemblies(kernel, put, ASSEMBLIES, new Map([...PARTS, ...ASSEMBLIES].map(({ id, name }) => [id, name])), solids, 'E. Varga');
  for (const { path, ...sheet } of DRAWINGS) put(path, writeSheet(sheet));
}

function putAssemblies(
  kernel: Kernel,
  put: (path: string, bytes: Uint8Array) => void,
  assemblies: readonly DemoAssembly[],
  names: ReadonlyMap<string, string>,
  solids: ReadonlyMap<string, AnyShape>,
  person: string,
): void {
  const trees = new Map<string, readonly Placement[]>(assemblies.map(({ id, placements }) => [id, placements]));
  for (const assembly of assemblies) {
    const bytes = named(kernel.write(assembly.id, solids, trees, person), names);
    const occurrences = formatOf(assembly.path)!.read(bytes).structure!.occurrences;
    const list = [
      ...changes('', assembly.values),
      ...Object.entries(assembly.copyValues).flatMap(([id, values]) => changes(`copy:${id}`, values)),
      ...Object.entries(assembly.occurrenceValues).flatMap(([label, values]) => changes(occurrences.find((o) => o.label === label)!.key, values)),
    ];
    put(assembly.path, withValues(assembly.path, bytes, list));
  }
}

/** Generates the DR-5's files and two customer projects into `packages/demo/inherited`. */
function generateInherited(kernel: Kernel): void {
  const put = into('inherited');
  const solids = new Map<string, AnyShape>();
  for (const part of INHERITED_PARTS) {
    const solid = part.solid();
    solids.set(part.id, solid);
    const kilograms = part.weighed === undefined ? null : kernel.volume(solid) * part.weighed * 1e-6 * (part.stale ?? 1);
    const ours = 'Part number' in part.values;
    const weight: Readonly<Record<string, number>> =
      kilograms === null ? {} : ours ? { Mass: Math.round(kilograms * 1000) / 1000 } : { Weight: Math.round((kilograms / POUND) * 100) / 100 };
    const plain = named(kernel.write(part.id, new Map([[part.id, solid]]), new Map(), 'P. Ferrow'), new Map([[part.id, part.name]]));
    const bytes = part.model ? withMaterial(plain, part.model) : plain;
    put(part.path, withValues(part.path, bytes, changes('', { ...part.values, ...weight })));
  }
  putAssemblies(
    kernel,
    put,
    INHERITED_ASSEMBLIES,
    new Map([...INHERITED_PARTS, ...INHERITED_ASSEMBLIES].map(({ id, name }) => [id, name])),
    solids,
    'P. Ferrow',
  );
  for (const { path, ...sheet } of INHERITED_DRAWINGS) put(path, writeSheet(sheet));
  for (const plan of SITE_DRAWINGS) put(plan.path, siteDrawing(plan));
  for (const { path, title, text, values } of INHERITED_DOCUMENTS) put(path, withValues(path, wordDocument(title, text), changes('', values)));
  put('DR-5/scans/gas approval.pdf', scannedPage('gas approval of the DR-5'));
  put('DR-5/scans/old title page.pdf', scannedPage('DR-5, title page of 1998'));
}

/** Kilograms per pound (exact by definition). */
const POUND = 0.45359237;

/** A STEP file that states material and density, following the recommended practice for material identification and density. */
function withMaterial(bytes: Uint8Array, { material, density }: { readonly material: string; readonly density: number }): Uint8Array {
  const text = Buffer.from(bytes).toString('latin1');
  const last = Math.max(...[...text.matchAll(/^#(\d+)/gm)].map((m) => Number(m[1])));
  const definition = /^(#\d+)\s*=\s*PRODUCT_DEFINITION\s*\(/m.exec(text)![1]!;
  const context = /^(#\d+)\s*=\s*\(\s*GEOMETRIC_REPRESENTATION_CONTEXT/m.exec(text)![1]!;
  const n = (k: number) => `#${last + k}`;
  const lines = [
    `${n(1)}=PROPERTY_DEFINITION('material property','material name',${definition});`,
    `${n(2)}=DESCRIPTIVE_REPRESENTATION_ITEM('${material}','${material}');`,
    `${n(3)}=REPRESENTATION('material name',(${n(2)}),${context});`,
    `${n(4)}=PROPERTY_DEFINITION_REPRESENTATION(${n(1)},${n(3)});`,
    `${n(5)}=(MASS_UNIT() NAMED_UNIT(*) SI_UNIT($,.GRAM.));`,
    `${n(6)}=(LENGTH_UNIT() NAMED_UNIT(*) SI_UNIT(.CENTI.,.METRE.));`,
    `${n(7)}=DERIVED_UNIT_ELEMENT(${n(5)},1.);`,
    `${n(8)}=DERIVED_UNIT_ELEMENT(${n(6)},-3.);`,
    `${n(9)}=DERIVED_UNIT((${n(7)},${n(8)}));`,
    `${n(10)}=MEASURE_REPRESENTATION_ITEM('density measure',POSITIVE_RATIO_MEASURE(${density}),${n(9)});`,
    `${n(11)}=PROPERTY_DEFINITION('material property','density',${definition});`,
    `${n(12)}=REPRESENTATION('density',(${n(10)}),${context});`,
    `${n(13)}=PROPERTY_DEFINITION_REPRESENTATION(${n(11)},${n(12)});`,
  ];
  const end = text.indexOf('ENDSEC;', text.indexOf('DATA;'));
  return Buffer.from(`${text.slice(0, end)}${lines.join('\n')}\n${text.slice(end)}`, 'latin1');
}

const XML = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';

/** The smallest text document office programs open (ECMA-376, from memory). */
function wordDocument(title: string, text: string): Uint8Array {
  const types = 'http://schemas.openxmlformats.org/package/2006/content-types';
  const relations = 'http://schemas.openxmlformats.org/package/2006/relationships';
  const office = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
  const word = 'application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml';
  const core = 'application/vnd.openxmlformats-package.core-properties+xml';
  const files: Record<string, string> = {
    '[Content_Types].xml': `${XML}<Types xmlns="${types}"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/word/document.xml" ContentType="${word}"/><Override PartName="/docProps/core.xml" ContentType="${core}"/></Types>`,
    '_rels/.rels': `${XML}<Relationships xmlns="${relations}"><Relationship Id="rId1" Type="${office}/officeDocument" Target="word/document.xml"/><Relationship Id="rId2" Type="http://schemas.openxmlformats.org/package/2006/relationships/metadata/core-properties" Target="docProps/core.xml"/></Relationships>`,
    'word/document.xml': `${XML}<w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body><w:p><w:r><w:t>${title}</w:t></w:r></w:p><w:p><w:r><w:t>${text}</w:t></w:r></w:p></w:body></w:document>`,
    'docProps/core.xml': `${XML}<cp:coreProperties xmlns:cp="http://schemas.openxmlformats.org/package/2006/metadata/core-properties" xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:title>${title}</dc:title><dc:creator>P. Ferrow</dc:creator></cp:coreProperties>`,
  };
  return zipSync(Object.fromEntries(Object.entries(files).map(([name, content]) => [name, strToU8(content)])), { mtime: '2026-09-01T08:00:00' });
}

/** Sets product names apart from ids: the kernel writes one text for both. */
function named(bytes: Uint8Array, names: ReadonlyMap<string, string>): Uint8Array {
  const step = formatOf('a.step')!;
  const reading = step.read(bytes);
  const list = reading.holders.flatMap((holder): FileChange[] => {
    const id = holder.values.find((value) => value.name === 'product id')?.held.text ?? '';
    const name = names.get(id);
    return name === undefined ? [] : [{ holder: holder.key, place: 'field', name: 'product name', value: heldText(name) }];
  });
  return applyEdits(bytes, step.modify(bytes, list));
}

const kernel = await Kernel.open();
generateLibrary(kernel);
generateInherited(kernel);
