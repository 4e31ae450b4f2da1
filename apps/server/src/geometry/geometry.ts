import { join } from 'node:path';
import { FileGeometry, MassRemark } from '@rule/contract';
import { MassNode, judgeMass, judgeMaterial, sumMass } from '@rule/core/geometry';
import { Piscina } from 'piscina';
import { JobCancelled, JobContext, Jobs } from '../jobs/jobs';
import { Db, isConnectionError } from '../platform/db';
import { notFound } from '../platform/problem';
import { readSettings } from '../platform/settings';
import { Masses } from './masses';

/** The picture of a body. Bodies and solids share one order; if their numbers differ, they cannot be paired. */
const BODY_PICTURE = `WITH b AS (SELECT key, row_number() OVER (ORDER BY position, key) AS n, count(*) OVER () AS total FROM holders WHERE file_id = $1 AND level = 'body')
  SELECT s.body_pictures[b.n] AS picture FROM b, file_shapes fs JOIN shapes s ON s.hash = fs.hash JOIN files f ON f.id = fs.file_id
  WHERE b.key = $2 AND fs.file_id = $1 AND fs.product = f.reading->'structure'->'roots'->>0 AND cardinality(s.body_pictures) = b.total`;

/** Time limit for measuring one shape. */
const LONGEST_MS = 90_000;

/** Geometry kernel threads, started on demand and ended if one hangs. */
export class KernelPool {
  private pool: Piscina | undefined;

  constructor(
    private readonly worker: string,
    private readonly data: { readonly databaseUrl: string },
    private readonly longest = LONGEST_MS,
  ) {}

  private open(): Piscina {
    if (!this.pool) {
      this.pool = new Piscina({ filename: this.worker, workerData: this.data, minThreads: 0, maxThreads: 1, idleTimeout: 20_000, execArgv: [] });
      // An idle thread that ended is restarted with the next task.
      this.pool.on('error', () => undefined);
    }
    return this.pool;
  }

  /** @returns what went wrong, or `null` if the kernel exceeded its time limit */
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

/** Geometry of files: measurements, and their consequences for mass and material. */
export class Geometries {
  private readonly masses: Masses;
  /** Unmeasured files that somebody looked at: measured before all others. */
  private readonly lookedAt = new Set<number>();

  constructor(
    private readonly db: Db,
    private readonly kernel: KernelPool,
    private readonly jobs: Jobs,
  ) {
    this.masses = new Masses(db);
    jobs.define('geometry', (context) => this.measureAll(context));
  }

  /** Starts a measuring job if shapes are unmeasured and none is waiting. */
  async startIfNeeded(): Promise<void> {
    if (!this.jobs.takesWork) return;
    const waiting = await this.db.one(`SELECT 1 FROM files WHERE ${UNMEASURED} LIMIT 1`);
    // A running job only knows files that existed when it started, so one more may wait.
    if (waiting && !(await this.db.one(`SELECT 1 FROM jobs WHERE kind = 'geometry' AND state = 'waiting'`)))
      await this.jobs.start(null, 'geometry', 'Measure shapes', {});
  }

  /** Measures all unknown shapes. A shape that hangs the kernel costs only its time limit. */
  async measureAll(context: JobContext): Promise<{ files: number; problems: number }> {
    await this.db.run(`DELETE FROM shapes WHERE problem = 'measuring'`);
    const files = await this.db.all<ToMeasure>(`${TO_MEASURE} ORDER BY f.size, f.id`);
    const done = new Set<number>();
    let problems = 0;
    for (const next of files) {
      for (const { id, path, root } of [...(await this.takeLookedAt()), next]) {
        if (done.has(id)) continue;
        context.check();
        context.progress('measuring shapes', Math.min(done.size, files.length), files.length);
        done.add(id);
        const said = await this.measureFile({ file: id, full: join(root, path) }, context.signal).catch((error: unknown) => {
          // A lost database is not the file's fault; the job continues later.
          if (error instanceof JobCancelled || isConnectionError(error)) throw error;
          return [error instanceof Error ? error.message : String(error)];
        });
        for (const message of said) context.error(path, message);
        problems += said.length;
        // Not measured again until the file changes.
        await this.db.run('UPDATE files SET shaped_hash = hash WHERE id = $1', [id]);
      }
    }
    context.progress('measuring shapes', files.length, files.length);
    return { files: done.size, problems };
  }

  private async takeLookedAt(): Promise<readonly ToMeasure[]> {
    if (!this.lookedAt.size) return [];
    const files = [...this.lookedAt];
    this.lookedAt.clear();
    return this.db.all<ToMeasure>(`${TO_MEASURE} AND f.id = ANY($1::int[])`, [files]);
  }

  private async measureFile(input: { readonly file: number; readonly full: string }, signal: AbortSignal): Promise<string[]> {
    // Each time-out marks one shape; the next run skips it.
    for (;;) {
      const said = await this.kernel.shapeFile(input, signal);
      if (said !== null) return said;
      const marked = await this.db.run(`UPDATE shapes SET problem = $1 WHERE problem = 'measuring'`, [`The geometry kernel took longer than its time limit.`]);
      if (marked === 0) return ['The geometry kernel took longer than its time limit.'];
    }
  }

  /** All geometry data of one file. If it is not measured yet, it is measured next. */
  async of(file: number): Promise<FileGeometry> {
    const [settings, unit, found, shapes] = await Promise.all([
      readSettings(this.db),
      this.masses.massUnit(),
      this.masses.parts([file]),
      this.db.all<FileGeometry['shapes'][number]>(
        `SELECT fs.product, s.problem, s.result AS shape, s.picture IS NOT NULL AS picture
          FROM file_shapes fs JOIN shapes s ON s.hash = fs.hash WHERE fs.file_id = $1 ORDER BY fs.product`,
        [file],
      ),
    ]);
    const part = found[0];
    if (!part)
      return { measured: false, shapes: [], shape: null, problem: null, mass: null, missing: [], material: null, modelMaterial: null, density: null, unit };
    const state = await this.db.one<{ measured: boolean; problem: string | null }>(
      `SELECT coalesce(f.shaped_hash = f.hash, false) AS measured,
        (SELECT s.problem FROM file_shapes fs JOIN shapes s ON s.hash = fs.hash WHERE fs.file_id = f.id AND s.problem IS NOT NULL LIMIT 1) AS problem
        FROM files f WHERE f.id = $1`,
      [file],
    );
    if (!state!.measured) this.lookedAt.add(file);
    const { mass, density } = this.masses.computed(part, settings.densities);
    const summed = part.kind === 'assembly' ? await this.masses.summed(file) : { mass, missing: [] };
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

  /** Files with outdated written mass, or with material stated once or inconsistently. */
  async remarks(): Promise<MassRemark[]> {
    const [settings, unit, parts] = await Promise.all([readSettings(this.db), this.masses.massUnit(), this.masses.parts(null)]);
    const assemblies = parts.some((part) => part.kind === 'assembly') ? await this.masses.massNodes(null) : new Map<string, MassNode>();
    return parts
      .flatMap((part): MassRemark[] => {
        const summed = part.kind === 'assembly' ? sumMass(`file:${part.id}`, (key) => assemblies.get(key)) : null;
        const computed = summed ? (summed.missing.length ? null : summed.mass) : this.masses.computed(part, settings.densities).mass;
        const mass = judgeMass(part.mass, unit, computed);
        const material = part.kind === 'assembly' ? 'agree' : judgeMaterial(part.modelMaterial, part.material);
        const saysMaterial = part.modelMaterial !== null && material !== 'agree';
        if (mass.state !== 'stale' && !saysMaterial) return [];
        return [{ file: part.id, path: part.path, mass, material, modelMaterial: part.modelMaterial, property: part.material }];
      })
      .sort((a, b) => a.path.localeCompare(b.path));
  }

  /** The picture of a file or of one body, as PNG. */
  async picture(file: number, body?: string): Promise<Buffer> {
    if (body !== undefined) {
      const own = await this.db.one<{ picture: Buffer | null }>(BODY_PICTURE, [file, body]);
      if (!own?.picture) throw notFound(`A picture of ${body} in file ${file}`);
      return own.picture;
    }
    const row = await this.db.one<{ picture: Buffer }>(
      `SELECT s.picture FROM file_shapes fs JOIN shapes s ON s.hash = fs.hash JOIN files f ON f.id = fs.file_id
       WHERE fs.file_id = $1 AND s.picture IS NOT NULL ORDER BY fs.product = '' DESC, fs.product = f.reading->'structure'->'roots'->>0 DESC LIMIT 1`,
      [file],
    );
    if (!row) throw notFound(`A picture of file ${file}`);
    return row.picture;
  }
}

interface ToMeasure {
  readonly id: number;
  readonly path: string;
  readonly root: string;
}

const UNMEASURED = `format = 'step' AND NOT removed AND problem IS NULL AND shaped_hash IS DISTINCT FROM hash`;

const TO_MEASURE = `SELECT f.id, f.path, l.root FROM files f JOIN libraries l ON l.id = f.library_id WHERE ${UNMEASURED.replace(/\bhash\b/g, 'f.hash')}`;
