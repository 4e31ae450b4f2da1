import { MassNode, Shape, densityIn, densityOf, judgeMass, massOf, sumMass } from '@rule/core/geometry';
import { ModelFacts } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { Line } from '@rule/core/changes';
import { HELD } from '../library/readings';
import { Sql } from '../platform/db';
import { readSettings } from '../platform/settings';

/** Assemblies with everything below them. */
const BELOW = `WITH RECURSIVE below(id) AS (SELECT unnest($1::int[]) UNION SELECT c.part_id FROM below b JOIN copies c ON c.assembly_id = b.id WHERE c.part_id IS NOT NULL)
  SELECT id FROM below`;

interface PartRow {
  readonly id: number;
  readonly path: string;
  readonly kind: string;
  readonly statedMass: boolean;
  readonly productKey: string | null;
  readonly shape: Shape | null;
  readonly material: string | null;
  readonly modelMaterial: string | null;
  readonly density: HeldValue | null;
  readonly mass: HeldValue | null;
  readonly bodies: readonly { readonly key: string; readonly material: string | null; readonly density: HeldValue | null }[];
}

/** Computes masses from shapes, materials and structure. Pending lines count as applied. */
export class Masses {
  constructor(
    private readonly sql: Sql,
    private readonly pending: readonly Line[] = [],
  ) {}

  /** Parts with pending materials and masses. */
  private proposed(parts: readonly PartRow[], massProperty: string, materialProperty: string): PartRow[] {
    const lines = new Map(
      this.pending
        .filter(({ address }) => address.place === 'property' && (address.name === massProperty || address.name === materialProperty))
        .map(({ address, proposed }) => [`${address.file}/${address.holder}/${address.name}`, proposed?.text === '' ? null : proposed]),
    );
    if (lines.size === 0) return [...parts];
    return parts.map((part) => {
      const line = (holder: string, name: string) => lines.get(`${part.id}/${holder}/${name}`);
      const [mass, material] = [line('', massProperty), line('', materialProperty)];
      return {
        ...part,
        ...(mass === undefined ? {} : { mass }),
        ...(material === undefined ? {} : { material: material?.text ?? null }),
        bodies: part.bodies.map((body) => {
          const own = line(body.key, materialProperty);
          return own === undefined ? body : { ...body, material: own?.text ?? null };
        }),
      };
    });
  }

  async parts(files: readonly number[] | null): Promise<PartRow[]> {
    const { massProperty, materialProperty } = await readSettings(this.sql);
    const value = (place: string, name: string) =>
      `(SELECT ${HELD} FROM held_values v
          WHERE v.file_id = f.id AND v.holder = '' AND v.place = '${place}' AND v.name = ${name} AND v.text <> '' AND NOT v.stand_in)`;
    const found = await this.sql.all<PartRow>(
      `SELECT f.id, f.path, f.kind, coalesce(c.stated_mass, false) AS "statedMass", f.reading->'structure'->'roots'->>0 AS "productKey", s.result AS shape,
         ${value('property', '$2')}->>'text' AS material, ${value('fact', `'material'`)}->>'text' AS "modelMaterial",
           ${value('fact', `'density'`)} AS density, ${value('property', '$1')} AS mass,
         coalesce((SELECT jsonb_agg(jsonb_build_object('key', h.key, 'material',
               (SELECT v.text FROM held_values v
                   WHERE v.file_id = f.id AND v.holder = h.key AND v.name IN ('material', $2) AND v.text <> '' ORDER BY v.place LIMIT 1),
           'density', (SELECT ${HELD} FROM held_values v WHERE v.file_id = f.id AND v.holder = h.key AND v.place = 'fact' AND v.name = 'density'))
             ORDER BY h.position, h.key)
           FROM holders h WHERE h.file_id = f.id AND h.level = 'body'), '[]') AS bodies
       FROM files f LEFT JOIN classes c ON c.id = f.class_id
       LEFT JOIN file_shapes fs ON fs.file_id = f.id AND fs.product = CASE WHEN f.kind = 'assembly' THEN '' ELSE f.reading->'structure'->'roots'->>0 END
       LEFT JOIN shapes s ON s.hash = fs.hash
       WHERE f.format = 'step' AND NOT f.removed AND f.problem IS NULL AND ($3::int[] IS NULL OR f.id = ANY($3::int[]))`,
      [massProperty, materialProperty, files],
    );
    return this.proposed(found, massProperty, materialProperty);
  }

  /** Mass of a part in kilograms from geometry and material; `null` if either is unknown. */
  computed(part: PartRow, table: Parameters<typeof densityIn>[0]): { mass: number | null; density: number | null } {
    const density = densityOf(part.density) ?? densityIn(table, part.modelMaterial) ?? densityIn(table, part.material);
    if (!part.shape || part.kind === 'assembly') return { mass: null, density };
    // Bodies may have their own material.
    const bodies = part.bodies.length === part.shape.bodies.length ? part.bodies : [];
    const masses = part.shape.bodies.map((body, i) => {
      const own = bodies[i] ? (densityOf(bodies[i].density) ?? densityIn(table, bodies[i].material)) : null;
      return (own ?? density) === null ? null : massOf(body.volume, (own ?? density)!);
    });
    if (masses.length === 0 || masses.includes(null)) return { mass: null, density };
    return { mass: masses.reduce<number>((sum, mass) => sum + mass!, 0), density };
  }

  async massUnit(): Promise<string> {
    const { massProperty } = await readSettings(this.sql);
    const property = await this.sql.one<{ unit: string | null }>(
      `SELECT definition->>'unit' AS unit FROM properties WHERE "writtenName" = $1 AND NOT retired`,
      [massProperty],
    );
    return property?.unit ?? 'kg';
  }

  /** Mass of an assembly as the sum of its occurrences; bought parts count with their written mass. */
  async summed(file: number): Promise<ReturnType<typeof sumMass>> {
    const nodes = await this.massNodes([file]);
    return sumMass(`file:${file}`, (key) => nodes.get(key));
  }

  /** Inputs for the masses of some assemblies, or all. */
  async massNodes(assemblies: readonly number[] | null): Promise<Map<string, MassNode>> {
    const inside = assemblies && (await this.sql.all<{ id: number }>(BELOW, [assemblies])).map((row) => row.id);
    const [{ densities }, unit, parts, copies] = await Promise.all([
      readSettings(this.sql),
      this.massUnit(),
      this.parts(inside),
      this.sql.all<{
        assembly: number;
        product: string;
        label: string;
        parent: string;
        root: string;
        times: number;
        part: number | null;
        /** Whether it is another product of the part file than the first, which is the one that is weighed. */
        variant: boolean;
        shape: Shape | null;
        density: HeldValue | null;
        material: string | null;
      }>(
        `SELECT f.id AS assembly, o.child AS product, coalesce(h.label, o.child) AS label, o.parent,
           f.reading->'structure'->'roots'->>0 AS root, o.times, c.part_id AS part, c.match ? 'variant' AS variant, s.result AS shape,
           (SELECT ${HELD} FROM held_values v WHERE v.file_id = f.id AND v.holder = 'copy:' || o.child AND v.place = 'fact' AND v.name = 'density') AS density,
           (SELECT v.text FROM held_values v
               WHERE v.file_id = f.id AND v.holder = 'copy:' || o.child AND v.name IN ('material', 'Material') AND v.text <> '' ORDER BY v.place
               LIMIT 1) AS material
         FROM files f
         CROSS JOIN LATERAL (SELECT o->>'parent' AS parent, o->>'child' AS child, count(*)::int AS times
             FROM jsonb_array_elements(f.reading->'structure'->'occurrences') o GROUP BY 1, 2) o
         LEFT JOIN copies c ON c.assembly_id = f.id AND c.product = o.child LEFT JOIN holders h ON h.file_id = f.id AND h.key = 'copy:' || o.child
         LEFT JOIN file_shapes fs ON fs.file_id = f.id AND fs.product = o.child LEFT JOIN shapes s ON s.hash = fs.hash
         WHERE f.kind = 'assembly' AND NOT f.removed AND f.problem IS NULL AND ($1::int[] IS NULL OR f.id = ANY($1::int[]))`,
        [inside],
      ),
    ]);
    const nodes = new Map<string, MassNode>();
    const densityOfPart = new Map<number, number | null>();
    for (const part of parts) {
      const { mass, density } = this.computed(part, densities);
      densityOfPart.set(part.id, density);
      const written = judgeMass(part.mass, unit, null).written;
      // Written mass wins for bought parts and is the fallback elsewhere.
      const own = part.kind === 'assembly' ? (part.statedMass ? written : null) : part.statedMass ? (written ?? mass) : (mass ?? written);
      nodes.set(`file:${part.id}`, { own, children: [] });
    }
    const placed = new Map<string, MassNode['children'][number][]>();
    for (const copy of copies) {
      const parent = copy.parent === copy.root ? `file:${copy.assembly}` : `copy:${copy.assembly}/${copy.parent}`;
      // Of a variant, the assembly's own copy is weighed.
      const own = copy.part === null || copy.variant;
      const key = own ? `copy:${copy.assembly}/${copy.product}` : `file:${copy.part}`;
      placed.set(parent, [...(placed.get(parent) ?? []), { key, label: copy.label, times: copy.times }]);
      if (!own || nodes.has(key)) continue;
      const density = densityOf(copy.density) ?? densityIn(densities, copy.material) ?? (copy.part === null ? null : (densityOfPart.get(copy.part) ?? null));
      nodes.set(key, { own: copy.shape && density !== null ? massOf(copy.shape.volume, density) : null, children: [] });
    }
    for (const [key, children] of placed) nodes.set(key, { own: nodes.get(key)?.own ?? null, children });
    return nodes;
  }

  /** Statements of the models themselves, by file; empty for files without shapes. */
  async factsOf(files: readonly number[]): Promise<Map<number, ModelFacts>> {
    const [{ densities }, parts] = await Promise.all([readSettings(this.sql), this.parts(files)]);
    const assemblies = parts.filter((part) => part.kind === 'assembly').map((part) => part.id);
    const nodes = assemblies.length ? await this.massNodes(assemblies) : new Map<string, MassNode>();
    return new Map(
      parts.map((part) => {
        const { mass, density } = this.computed(part, densities);
        const summed = part.kind === 'assembly' ? sumMass(`file:${part.id}`, (key) => nodes.get(key)) : null;
        const { shape } = part;
        const side = (axis: 0 | 1 | 2) => (shape ? (shape.box.max[axis] - shape.box.min[axis]) / 1000 : null);
        const facts: ModelFacts = {
          mass: summed ? (summed.missing.length ? null : summed.mass) : mass,
          volume: shape ? shape.volume * 1e-9 : null,
          area: shape ? shape.area * 1e-6 : null,
          material: part.modelMaterial,
          density,
          length: side(0),
          width: side(1),
          height: side(2),
        };
        return [part.id, facts] as const;
      }),
    );
  }
}
