import { join } from 'node:path';
import { FileGeometry, MassRemark } from '@rule/contract';
import { MassNode, Shape, densityIn, densityOf, judgeMass, judgeMaterial, massOf, sumMass } from '@rule/core/geometry';
import { HeldValue } from '@rule/core/values';
import { Piscina } from 'piscina';
import { JobCancelled, JobContext, Jobs } from '../jobs/jobs';
import { HELD } from '../library/readings';
import { Db } from '../platform/db';
import { notFound } from '../platform/problem';
import { Properties } from '../schema/properties';
import { readSettings } from '../schema/settings';

/** Longest that the kernel may work on one shape. */
const LONGEST_MS = 90_000;

/** Threads of the geometry kernel, begun when there is something to measure and ended when one hangs. */
export class KernelPool {
  private pool: Piscina | undefined;

  constructor(
    private readonly worker: string,
    private readonly data: { readonly databaseUrl: string },
    private readonly longest = LONGEST_MS,
  ) {}

  private open(): Piscina {
    return (this.pool ??= new Piscina({ filename: this.worker, workerData: this.data, minThreads: 0, maxThreads: 1, idleTimeout: 20_000, execArgv: [] }));
  }

  /** @returns what went wrong, or `null` when the kernel took too long and was ended. */
  async shapeFile(input: { readonly file: number; readonly full: string }, signal: AbortSignal): Promise<string[] | null> {
    const limit = AbortSignal.timeout(this.longest);
    try {
      return (await this.open().run(input, { name: 'shapeFile', signal: AbortSignal.any([limit, signal]) })) as string[];
    } catch (error) {
      if (signal.aborted) throw new JobCancelled();
      if (limit.aborted) return null;
      throw error;
    }
  }

  async close(): Promise<void> {
    await this.pool?.destroy();
  }
}

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

/** Geometry of files: what the kernel measured, and what follows for mass and material. */
export class Geometries {
  constructor(
    private readonly db: Db,
    private readonly kernel: KernelPool,
    private readonly jobs: Jobs,
    private readonly properties: Properties,
  ) {
    jobs.define('geometry', (context) => this.measureAll(context));
  }

  /** Starts measuring where files have shapes that were not measured yet and no job waits to do so. */
  async startIfNeeded(): Promise<void> {
    if (!this.jobs.takesWork) return;
    const waiting = await this.db.one(`SELECT 1 FROM files WHERE ${UNMEASURED} LIMIT 1`);
    // A job that runs already knows only the files that were there when it began: one more may wait behind it.
    if (waiting && !(await this.db.one(`SELECT 1 FROM jobs WHERE kind = 'geometry' AND state = 'waiting'`)))
      await this.jobs.start(null, 'geometry', 'Measure shapes', {});
  }

  /** Measures every file whose shapes are not known. A part that hangs the kernel costs its time limit and nothing else. */
  async measureAll(context: JobContext): Promise<{ files: number; problems: number }> {
    await this.db.run(`DELETE FROM shapes WHERE problem = 'measuring'`);
    const files = await this.db.all<{ id: number; path: string; root: string }>(
      `SELECT f.id, f.path, l.root FROM files f JOIN libraries l ON l.id = f.library_id WHERE ${UNMEASURED.replace(/\bhash\b/g, 'f.hash')} ORDER BY f.size, f.id`,
    );
    let problems = 0;
    for (const [i, { id, path, root }] of files.entries()) {
      context.check();
      context.progress('measuring shapes', i, files.length);
      const said = await this.measureFile({ file: id, full: join(root, path) }, context.signal).catch((error: unknown) => {
        if (error instanceof JobCancelled) throw error;
        return [error instanceof Error ? error.message : String(error)];
      });
      for (const message of said) context.error(path, message);
      problems += said.length;
      // Not again until the file changes, whatever came of it.
      await this.db.run('UPDATE files SET shaped_hash = hash WHERE id = $1', [id]);
    }
    context.progress('measuring shapes', files.length, files.length);
    return { files: files.length, problems };
  }

  private async measureFile(input: { readonly file: number; readonly full: string }, signal: AbortSignal): Promise<string[]> {
    // Each time-out leaves one shape marked; the next run passes over it.
    for (;;) {
      const said = await this.kernel.shapeFile(input, signal);
      if (said !== null) return said;
      const marked = await this.db.run(`UPDATE shapes SET problem = $1 WHERE problem = 'measuring'`, [`The geometry kernel took longer than its time limit.`]);
      if (marked === 0) return ['The geometry kernel took longer than its time limit.'];
    }
  }

  private async parts(files: readonly number[] | null): Promise<PartRow[]> {
    const { massProperty, materialProperty } = await readSettings(this.db);
    const value = (place: string, name: string) =>
      `(SELECT ${HELD} FROM held_values v WHERE v.file_id = f.id AND v.holder = '' AND v.place = '${place}' AND v.name = ${name} AND v.text <> '' AND NOT v.stand_in)`;
    return this.db.all<PartRow>(
      `SELECT f.id, f.path, f.kind, coalesce(c.stated_mass, false) AS "statedMass", f.reading->'structure'->'roots'->>0 AS "productKey", s.result AS shape,
         ${value('property', '$2')}->>'text' AS material, ${value('fact', `'material'`)}->>'text' AS "modelMaterial", ${value('fact', `'density'`)} AS density, ${value('property', '$1')} AS mass,
         coalesce((SELECT jsonb_agg(jsonb_build_object('key', h.key, 'material', (SELECT v.text FROM held_values v WHERE v.file_id = f.id AND v.holder = h.key AND v.name IN ('material', $2) AND v.text <> '' ORDER BY v.place LIMIT 1),
           'density', (SELECT ${HELD} FROM held_values v WHERE v.file_id = f.id AND v.holder = h.key AND v.place = 'fact' AND v.name = 'density')) ORDER BY h.key)
           FROM holders h WHERE h.file_id = f.id AND h.level = 'body'), '[]') AS bodies
       FROM files f LEFT JOIN classes c ON c.id = f.class_id
       LEFT JOIN file_shapes fs ON fs.file_id = f.id AND fs.product = CASE WHEN f.kind = 'assembly' THEN '' ELSE f.reading->'structure'->'roots'->>0 END
       LEFT JOIN shapes s ON s.hash = fs.hash
       WHERE f.format = 'step' AND NOT f.removed AND f.problem IS NULL AND ($3::int[] IS NULL OR f.id = ANY($3::int[]))`,
      [massProperty, materialProperty, files],
    );
  }

  /** Mass in kilograms that a part's geometry and material give; `null` when one of them is not known. */
  private computed(part: PartRow, table: Parameters<typeof densityIn>[0]): { mass: number | null; density: number | null } {
    const density = densityOf(part.density) ?? densityIn(table, part.modelMaterial) ?? densityIn(table, part.material);
    if (!part.shape || part.kind === 'assembly') return { mass: null, density };
    // Bodies may be of another material than the part.
    const bodies = part.bodies.length === part.shape.bodies.length ? part.bodies : [];
    const masses = part.shape.bodies.map((body, i) => {
      const own = bodies[i] ? (densityOf(bodies[i].density) ?? densityIn(table, bodies[i].material)) : null;
      return (own ?? density) === null ? null : massOf(body.volume, (own ?? density)!);
    });
    if (masses.length === 0 || masses.includes(null)) return { mass: null, density };
    return { mass: masses.reduce<number>((sum, mass) => sum + mass!, 0), density };
  }

  private async massUnit(): Promise<string> {
    const { massProperty } = await readSettings(this.db);
    const property = [...(await this.properties.active()).values()].find((candidate) => candidate.writtenName === massProperty);
    return property?.unit ?? 'kg';
  }

  /** Everything about one file's geometry. */
  async of(file: number): Promise<FileGeometry> {
    const [settings, unit, found, shapes] = await Promise.all([
      readSettings(this.db),
      this.massUnit(),
      this.parts([file]),
      this.db.all<FileGeometry['shapes'][number]>(
        `SELECT fs.product, s.problem, s.result AS shape, s.picture IS NOT NULL AS picture FROM file_shapes fs JOIN shapes s ON s.hash = fs.hash WHERE fs.file_id = $1 ORDER BY fs.product`,
        [file],
      ),
    ]);
    const part = found[0];
    if (!part)
      return { measured: false, shapes: [], shape: null, problem: null, mass: null, missing: [], material: null, modelMaterial: null, density: null, unit };
    const state = await this.db.one<{ measured: boolean; problem: string | null }>(
      `SELECT coalesce(f.shaped_hash = f.hash, false) AS measured, (SELECT s.problem FROM file_shapes fs JOIN shapes s ON s.hash = fs.hash WHERE fs.file_id = f.id AND s.problem IS NOT NULL LIMIT 1) AS problem FROM files f WHERE f.id = $1`,
      [file],
    );
    const { mass, density } = this.computed(part, settings.densities);
    const summed = part.kind === 'assembly' ? await this.summed(file) : { mass, missing: [] };
    return {
      measured: state!.measured,
      shapes,
      shape: part.shape,
      problem: state!.problem,
      mass: judgeMass(part.mass, unit, summed.missing.length ? null : summed.mass),
      missing: summed.missing,
      material: judgeMaterial(part.modelMaterial, part.material),
      modelMaterial: part.modelMaterial,
      density,
      unit,
    };
  }

  /** The mass of an assembly as the sum over its occurrences; bought parts count with the mass that is written. */
  private async summed(file: number): Promise<ReturnType<typeof sumMass>> {
    const nodes = await this.massNodes();
    return sumMass(`file:${file}`, (key) => nodes.get(key));
  }

  private async massNodes(): Promise<Map<string, MassNode>> {
    const [{ densities }, unit, parts, copies] = await Promise.all([
      readSettings(this.db),
      this.massUnit(),
      this.parts(null),
      this.db.all<{
        assembly: number;
        product: string;
        label: string;
        parent: string;
        root: string;
        times: number;
        part: number | null;
        shape: Shape | null;
        density: HeldValue | null;
        material: string | null;
      }>(
        `SELECT f.id AS assembly, o.child AS product, coalesce(h.label, o.child) AS label, o.parent, f.reading->'structure'->'roots'->>0 AS root, o.times, c.part_id AS part, s.result AS shape,
           (SELECT ${HELD} FROM held_values v WHERE v.file_id = f.id AND v.holder = 'copy:' || o.child AND v.place = 'fact' AND v.name = 'density') AS density,
           (SELECT v.text FROM held_values v WHERE v.file_id = f.id AND v.holder = 'copy:' || o.child AND v.name IN ('material', 'Material') AND v.text <> '' ORDER BY v.place LIMIT 1) AS material
         FROM files f CROSS JOIN LATERAL (SELECT o->>'parent' AS parent, o->>'child' AS child, count(*)::int AS times FROM jsonb_array_elements(f.reading->'structure'->'occurrences') o GROUP BY 1, 2) o
         LEFT JOIN copies c ON c.assembly_id = f.id AND c.product = o.child LEFT JOIN holders h ON h.file_id = f.id AND h.key = 'copy:' || o.child
         LEFT JOIN file_shapes fs ON fs.file_id = f.id AND fs.product = o.child LEFT JOIN shapes s ON s.hash = fs.hash
         WHERE f.kind = 'assembly' AND NOT f.removed AND f.problem IS NULL`,
      ),
    ]);
    const nodes = new Map<string, MassNode>();
    for (const part of parts) {
      const { mass } = this.computed(part, densities);
      const written = judgeMass(part.mass, unit, null).written;
      // The written mass leads for bought parts, and helps out where the geometry gives none.
      const own = part.kind === 'assembly' ? (part.statedMass ? written : null) : part.statedMass ? (written ?? mass) : (mass ?? written);
      nodes.set(`file:${part.id}`, { own, children: [] });
    }
    const inside = new Map<string, MassNode['children'][number][]>();
    for (const copy of copies) {
      const parent = copy.parent === copy.root ? `file:${copy.assembly}` : `copy:${copy.assembly}/${copy.parent}`;
      const key = copy.part === null ? `copy:${copy.assembly}/${copy.product}` : `file:${copy.part}`;
      inside.set(parent, [...(inside.get(parent) ?? []), { key, label: copy.label, times: copy.times }]);
      if (copy.part !== null || nodes.has(key)) continue;
      const density = densityOf(copy.density) ?? densityIn(densities, copy.material);
      nodes.set(key, { own: copy.shape && density !== null ? massOf(copy.shape.volume, density) : null, children: [] });
    }
    for (const [key, children] of inside) nodes.set(key, { own: nodes.get(key)?.own ?? null, children });
    return nodes;
  }

  /** Files whose written mass no longer matches, or whose material is said in one place only or in two ways. */
  async remarks(): Promise<MassRemark[]> {
    const [settings, unit, parts] = await Promise.all([readSettings(this.db), this.massUnit(), this.parts(null)]);
    const assemblies = parts.some((part) => part.kind === 'assembly') ? await this.massNodes() : new Map<string, MassNode>();
    return parts
      .flatMap((part): MassRemark[] => {
        const summed = part.kind === 'assembly' ? sumMass(`file:${part.id}`, (key) => assemblies.get(key)) : null;
        const computed = summed ? (summed.missing.length ? null : summed.mass) : this.computed(part, settings.densities).mass;
        const mass = judgeMass(part.mass, unit, computed);
        const material = part.kind === 'assembly' ? 'agree' : judgeMaterial(part.modelMaterial, part.material);
        const saysMaterial = part.modelMaterial !== null && material !== 'agree';
        if (mass.state !== 'stale' && !saysMaterial) return [];
        return [{ file: part.id, path: part.path, mass, material, modelMaterial: part.modelMaterial, property: part.material }];
      })
      .sort((a, b) => a.path.localeCompare(b.path));
  }

  /** The picture of a file as PNG. */
  async picture(file: number): Promise<Buffer> {
    const row = await this.db.one<{ picture: Buffer }>(
      `SELECT s.picture FROM file_shapes fs JOIN shapes s ON s.hash = fs.hash JOIN files f ON f.id = fs.file_id
       WHERE fs.file_id = $1 AND s.picture IS NOT NULL ORDER BY fs.product = '' DESC, fs.product = f.reading->'structure'->'roots'->>0 DESC LIMIT 1`,
      [file],
    );
    if (!row) throw notFound(`A picture of file ${file}`);
    return row.picture;
  }
}

const UNMEASURED = `format = 'step' AND NOT removed AND problem IS NULL AND shaped_hash IS DISTINCT FROM hash`;
