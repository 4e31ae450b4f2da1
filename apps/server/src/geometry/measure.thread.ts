import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { workerData } from 'node:worker_threads';
import { FileError } from '@rule/core/files';
import { CutShape, cutShapes } from '@rule/core/files/step';
import { Shape, Solid, drawTriangles, smallestBox } from '@rule/core/geometry';
import { PNG } from 'pngjs';
import openKernel, { OpenCascadeInstance, TopoDS_Shape } from 'replicad-opencascadejs';
import { NotAFile, readPlain } from '../platform/plain-file';
import { Db, asRecordset } from '../platform/db';

/** Runs the geometry kernel in its own threads; a hanging one is ended and restarted. */

let opened: Promise<OpenCascadeInstance> | undefined;
const kernel = () =>
  (opened ??= (openKernel as unknown as (options: object) => Promise<OpenCascadeInstance>)({
    wasmBinary: readFileSync(createRequire(import.meta.url).resolve('replicad-opencascadejs/wasm')),
    // Discards the kernel's output.
    print: () => undefined,
    printErr: () => undefined,
  }));

let db: Db | undefined;
const database = () => (db ??= new Db((workerData as { databaseUrl: string }).databaseUrl, 1, null));

const WIDTH = 320;
const HEIGHT = 240;
/** Rendering colour. */
const COLOUR = [192, 208, 204] as const;
/** Mesh tolerance: finer is invisible, coarser shows corners and finer angles take minutes and gigabytes. */
const MESH_ANGLE = 0.4;
const MESH_SHARE = 0.003;

interface Measured {
  readonly shape: Shape;
  readonly picture: Buffer;
  /** Only for a moderate number of bodies. */
  readonly bodyPictures: readonly Buffer[];
}

/** Maximum bodies with individual pictures. */
const MOST_BODIES = 60;

const explore = (oc: OpenCascadeInstance, shape: TopoDS_Shape, kind: 'TopAbs_SOLID' | 'TopAbs_FACE'): TopoDS_Shape[] => {
  const list: TopoDS_Shape[] = [];
  const explorer = new oc.TopExp_Explorer(shape, oc.TopAbs_ShapeEnum[kind], oc.TopAbs_ShapeEnum.TopAbs_SHAPE);
  for (; explorer.More(); explorer.Next()) list.push(explorer.Current());
  explorer.delete();
  return list;
};

function solidOf(oc: OpenCascadeInstance, shape: TopoDS_Shape): Solid {
  const volume = new oc.GProp_GProps();
  oc.BRepGProp.VolumeProperties(shape, volume, false, false, false);
  const area = new oc.GProp_GProps();
  oc.BRepGProp.SurfaceProperties(shape, area, false, false);
  const centre = volume.CentreOfMass();
  const solid: Solid = { volume: Math.abs(volume.Mass()), area: area.Mass(), centroid: [centre.X(), centre.Y(), centre.Z()] };
  for (const object of [volume, area, centre]) object.delete();
  return solid;
}

/** Reads a STEP file and measures it: exact figures from surfaces, a picture from a mesh. */
export async function measure(bytes: Uint8Array): Promise<Measured> {
  const oc = await kernel();
  oc.FS.writeFile('/in.step', bytes);
  const reader = new oc.STEPControl_Reader();
  try {
    if (reader.ReadFile('/in.step') !== oc.IFSelect_ReturnStatus.IFSelect_RetDone) throw new Error('The geometry kernel cannot read the shape.');
    reader.TransferRoots(new oc.Message_ProgressRange());
    const shape = reader.OneShape();
    if (shape.IsNull()) throw new Error('The geometry kernel finds no shape.');
    const solids = explore(oc, shape, 'TopAbs_SOLID');
    const whole = solidOf(oc, shape);
    const box = new oc.Bnd_Box();
    oc.BRepBndLib.AddOptimal(shape, box, false, false);
    const min = [box.GetXMin(), box.GetYMin(), box.GetZMin()] as const;
    const max = [box.GetXMax(), box.GetYMax(), box.GetZMax()] as const;
    box.delete();
    const size = Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2]);
    const picture = pictureOf(meshOf(oc, shape, size));
    const meshes = solids.length <= MOST_BODIES ? solids.map((solid) => meshOf(oc, solid, size)) : [];
    const bodies = solids.map((solid, i) => ({ ...solidOf(oc, solid), ...(meshes[i] ? { size: smallestBox(meshes[i]) } : {}) }));
    return { shape: { ...whole, box: { min, max }, bodies }, picture, bodyPictures: meshes.length > 1 ? meshes.map(pictureOf) : [] };
  } finally {
    reader.delete();
    oc.FS.unlink('/in.step');
  }
}

/**
 * Triangles of a shape.
 * @param size diagonal of the whole, for the mesh tolerance
 */
function meshOf(oc: OpenCascadeInstance, shape: TopoDS_Shape, size: number): number[] {
  const mesh = new oc.BRepMesh_IncrementalMesh(shape, Math.max(1e-6, size * MESH_SHARE), false, MESH_ANGLE, false);
  const triangles: number[] = [];
  for (const face of explore(oc, shape, 'TopAbs_FACE')) {
    const location = new oc.TopLoc_Location();
    const mesh3 = oc.BRep_Tool.Triangulation(oc.TopoDS.Face(face), location, 0) as ReturnType<typeof oc.BRep_Tool.Triangulation> | null;
    if (mesh3 && !(mesh3 as unknown as { IsNull?: () => boolean }).IsNull?.()) {
      const move = location.Transformation();
      const corner = (at: number) => {
        const point = mesh3.Node(at);
        const moved = point.Transformed(move);
        triangles.push(moved.X(), moved.Y(), moved.Z());
        moved.delete();
        point.delete();
      };
      for (let i = 1; i <= mesh3.NbTriangles(); i++) {
        const triangle = mesh3.Triangle(i);
        for (const k of [1, 2, 3]) corner(triangle.Value(k));
        triangle.delete();
      }
      move.delete();
    }
    location.delete();
  }
  mesh.delete();
  return triangles;
}

function pictureOf(triangles: readonly number[]): Buffer {
  const { rgba } = drawTriangles(triangles, WIDTH, HEIGHT, COLOUR);
  const png = new PNG({ width: WIDTH, height: HEIGHT });
  png.data = Buffer.from(rgba);
  return PNG.sync.write(png);
}

const hashOf = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

export interface ShapeFileInput {
  readonly file: number;
  readonly full: string;
}

/**
 * Measures unknown shapes of one file. Each is marked first, so a hanging one can be identified.
 * @returns what went wrong
 */
export async function shapeFile({ file, full }: ShapeFileInput): Promise<string[]> {
  const sql = database();
  let cuts: CutShape[];
  try {
    cuts = cutShapes(await readPlain(full));
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== undefined) return [`The file cannot be read (${(error as NodeJS.ErrnoException).code}).`];
    if (error instanceof NotAFile || error instanceof FileError) return [error.message];
    throw error;
  }
  const hashed = cuts.map((cut) => ({ ...cut, hash: hashOf(cut.essence) }));
  const problems: string[] = [];
  const known = new Map(
    (
      await sql.all<{ hash: string; problem: string | null }>(
        'SELECT hash, problem FROM shapes WHERE hash = ANY($1::text[]) AND (measured_by = 1 OR problem IS NOT NULL)',
        [hashed.map((cut) => cut.hash)],
      )
    ).map((row) => [row.hash, row.problem]),
  );
  for (const { hash, product, file: cut } of hashed) {
    if (known.has(hash)) {
      if (known.get(hash)) problems.push(`${product || 'the whole'}: ${known.get(hash)!}`);
      continue;
    }
    known.set(hash, null);
    await sql.run(`INSERT INTO shapes (hash, problem) VALUES ($1, $2) ON CONFLICT (hash) DO UPDATE SET problem = excluded.problem`, [hash, MEASURING]);
    try {
      const { shape, picture, bodyPictures } = await measure(cut);
      await sql.run('UPDATE shapes SET problem = NULL, result = $2::jsonb, picture = $3, body_pictures = $4, measured_by = 1 WHERE hash = $1', [
        hash,
        JSON.stringify(shape),
        picture,
        `{${bodyPictures.map((png) => `"\\\\x${png.toString('hex')}"`).join()}}`,
      ]);
    } catch (error) {
      const message = error instanceof Error ? error.message : 'The geometry kernel gave up on the shape.';
      await sql.run('UPDATE shapes SET problem = $2 WHERE hash = $1', [hash, message]);
      problems.push(`${product || 'the whole'}: ${message}`);
      // After an exception the kernel's state is not trusted.
      opened = undefined;
    }
  }
  await sql.transaction(async (within) => {
    await within.run('DELETE FROM file_shapes WHERE file_id = $1', [file]);
    await within.run('INSERT INTO file_shapes SELECT $1, product, hash FROM jsonb_to_recordset($2::jsonb) AS n(product text, hash text)', [
      file,
      asRecordset(hashed.map(({ product, hash }) => ({ product, hash }))),
    ]);
    await within.run('UPDATE files SET shaped_hash = hash WHERE id = $1', [file]);
  });
  return problems;
}

/** Marks the shape being measured. */
const MEASURING = 'measuring';
