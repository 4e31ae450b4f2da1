import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import openKernel, { OpenCascadeInstance, TDF_Label } from 'replicad-opencascadejs';
import { AnyShape, Shape3D, measureVolume, setOC } from 'replicad';

/** A solid or a tree of placed ones, in millimetres. */
export interface Placement {
  readonly of: string;
  readonly label: string;
  readonly at: readonly [number, number, number];
}

/** Replaces the kernel's clock, so runs are reproducible. */
const STAMP = '2026-09-01T08:00:00';

/** Writes AP242 STEP files with the geometry kernel. */
export class Kernel {
  private constructor(private readonly oc: OpenCascadeInstance) {}

  static async open(): Promise<Kernel> {
    const wasm = createRequire(import.meta.url).resolve('replicad-opencascadejs/wasm');
    const oc = await (openKernel as unknown as (options: object) => Promise<OpenCascadeInstance>)({ wasmBinary: readFileSync(wasm) });
    setOC(oc);
    return new Kernel(oc);
  }

  /** Volume in mm³. */
  volume(shape: AnyShape): number {
    return measureVolume(shape as Shape3D);
  }

  private string(text: string) {
    return new this.oc.TCollection_ExtendedString(text, true);
  }

  /**
   * Writes a file. With placements, products of `shapes` are placed as in their trees; without, the root is a part.
   * @param trees placements per assembly by product id; products without an entry are parts
   */
  write(root: string, shapes: ReadonlyMap<string, AnyShape>, trees: ReadonlyMap<string, readonly Placement[]>, person: string): Uint8Array {
    const { oc } = this;
    oc.XCAFDoc_ShapeTool.SetAutoNaming(false);
    const doc = new oc.TDocStd_Document(this.string('XmlOcaf'));
    const tool = oc.XCAFDoc_DocumentTool.ShapeTool(doc.Main());
    const labels = new Map<string, TDF_Label>();
    const labelOf = (id: string): TDF_Label => {
      const known = labels.get(id);
      if (known) return known;
      const tree = trees.get(id);
      let label: TDF_Label;
      if (tree) {
        label = tool.NewShape();
        for (const { of, label: name, at } of tree) {
          const move = new oc.gp_Trsf();
          move.SetTranslation(new oc.gp_Vec(...at));
          const placed = tool.AddComponent(label, labelOf(of), new oc.TopLoc_Location(move));
          oc.TDataStd_Name.Set(placed, this.string(name));
        }
      } else label = tool.AddShape(shapes.get(id)!.wrapped, false, true);
      oc.TDataStd_Name.Set(label, this.string(id));
      labels.set(id, label);
      return label;
    };
    labelOf(root);
    tool.UpdateAssemblies();
    const writer = new oc.STEPCAFControl_Writer(new oc.XSControl_WorkSession(), false);
    writer.SetNameMode(true);
    oc.Interface_Static.SetIVal('write.surfacecurve.mode', 1);
    oc.Interface_Static.SetIVal('write.step.assembly', 2);
    oc.Interface_Static.SetIVal('write.step.schema', 5);
    if (!writer.Perform(doc, 'out.step', new oc.Message_ProgressRange())) throw new Error(`The kernel did not write ${root}.`);
    const text = Buffer.from(oc.FS.readFile('/out.step')).toString('latin1');
    oc.FS.unlink('/out.step');
    const header = `FILE_NAME('${root}','${STAMP}',('${person}'),('Marrowby Roaster Works'),'geometry kernel','demo generator','');`;
    return Buffer.from(
      text.replace(/FILE_NAME\([\s\S]*?\);/, () => header).replace(/FILE_DESCRIPTION\([\s\S]*?\);/, () => "FILE_DESCRIPTION(('drum roaster DR-15'),'2;1');"),
      'latin1',
    );
  }
}
