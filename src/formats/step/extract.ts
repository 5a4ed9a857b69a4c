import type { TDF_Label, TopoDS_Shape } from "opencascade.js";
import type { Assembly } from "../../core/assembly/assembly";
import { cleanName, flattenTree, type RawNode } from "../../core/assembly/build";
import { folded } from "../../core/assembly/fold";
import type { AssemblyPackage } from "../../core/assembly/package";
import { SOURCE_FORMATS, type SolidFormat } from "../../core/assembly/sourceFormats";
import { packLinear } from "../../core/color/srgb";
import type { Geometry } from "../../core/geometry/geometry";
import { nth } from "../../core/math/packed";
import { ImportError } from "../importError";
import type { Kernel } from "./kernel";
import type { StepModel } from "./model";
import { STEP_DEFAULTS, type StepOptions } from "./options";
import { readShape, type ShapeCounts } from "./shape";

/** A part's shape as it came in, for comparing with what the file declares. */
export interface ReadPart extends ShapeCounts {
  name: string;
}
export interface Extracted {
  pkg: AssemblyPackage;
  shapes: ReadPart[];
  /** Placements of parts and sub-assemblies, those of a shared sub-assembly counted once. */
  placed: number;
}

/** What was read, for what is said of it. */
export interface Told {
  fileName: string;
  format: SolidFormat;
  unit: string;
}

/** Everything after read and mesh: tree, names, colours, geometry. */
export function extract(
  model: StepModel,
  { fileName, format, unit }: Told,
  options: StepOptions = {},
  progress?: (share: number) => void,
): Extracted {
  const { kernel } = model;
  const main = model.document.get().Main();
  const colors = kernel.XCAFDoc_DocumentTool.ColorTool(main).get();
  const geometries: Geometry[] = [];
  const byLabel = new Map<string, { geometry: number; color: RawNode["color"] }>();
  const warnings: string[] = [];
  const shapes: ReadPart[] = [];
  const assemblies = new Set<string>();
  let placed = 0;

  const all = new kernel.TDF_LabelSequence_1();
  kernel.XCAFDoc_DocumentTool.ShapeTool(main).get().GetShapes(all);
  let parts = 0;
  for (let i = 1; i <= all.Length(); i++) if (kernel.XCAFDoc_ShapeTool.IsSimpleShape(all.Value(i))) parts++;
  all.delete();

  const partOf = (label: TDF_Label): { geometry: number; color: RawNode["color"] } => {
    const entry = labelEntry(label);
    const known = byLabel.get(entry);
    if (known) return known;
    const shape = kernel.XCAFDoc_ShapeTool.GetShape_2(label);
    const { geometry, ...counts } = readShape(
      kernel,
      shape,
      `g${geometries.length}`,
      faceColors(kernel, colors, label),
      { ...STEP_DEFAULTS, ...options },
    );
    if (counts.faces > 0) shapes.push({ name: labelName(kernel, label), ...counts });
    if (geometry) geometries.push(geometry);
    const part = {
      geometry: geometry ? geometries.length - 1 : -1,
      color: labelColor(kernel, colors, label) ?? solidColor(kernel, colors, shape),
    };
    shape.delete();
    byLabel.set(entry, part);
    progress?.(byLabel.size / parts);
    return part;
  };

  const read = (label: TDF_Label, outerName: string, home: number[], outerColor: RawNode["color"]): RawNode => {
    const own = labelName(kernel, label);
    const name = pickName(outerName, own);
    if (kernel.XCAFDoc_ShapeTool.IsAssembly(label)) {
      const components = new kernel.TDF_LabelSequence_1();
      kernel.XCAFDoc_ShapeTool.GetComponents(label, components, false);
      const children: RawNode[] = [];
      const entry = labelEntry(label);
      if (!assemblies.has(entry)) placed += components.Length();
      assemblies.add(entry);
      const color = outerColor ?? labelColor(kernel, colors, label);
      for (let i = 1; i <= components.Length(); i++) {
        const component = components.Value(i);
        const referred = new kernel.TDF_Label();
        if (kernel.XCAFDoc_ShapeTool.GetReferredShape(component, referred)) {
          children.push(
            read(
              referred,
              labelName(kernel, component),
              locationOf(kernel, component),
              labelColor(kernel, colors, component),
            ),
          );
        }
        referred.delete();
      }
      components.delete();
      // A colour on an assembly covers what has none of its own.
      if (color) for (const child of children) child.color ??= color;
      return onePart({ name, home, geometry: -1, color: null, children });
    }
    const part = partOf(label);
    return { name, home, geometry: part.geometry, color: outerColor ?? part.color, children: [] };
  };

  const roots = model.roots.map((label) => read(label, "", locationOf(kernel, label), null));
  const title = cleanName(fileName.replace(/\.[^.]*$/, ""), "Assembly").name;
  const tree: RawNode[] =
    roots.length === 1
      ? roots
      : [
          {
            name: title,
            home: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
            geometry: -1,
            color: null,
            children: roots,
          },
        ];
  if (geometries.length === 0)
    throw new ImportError(
      "no-geometry",
      `The ${SOURCE_FORMATS[format].name} file holds a tree but no shape that could be drawn. Export the assembly as solids or surfaces and try again.`,
    );
  const shown = folded(tree, geometries, warnings);
  const nodes = flattenTree(shown.roots, warnings);
  const parents = new Set(nodes.map((n) => n.parent));
  const empty = nodes.filter((n, i) => n.geometry < 0 && !parents.has(i)).length;
  if (empty > 0)
    warnings.push(
      `${empty} part${empty === 1 ? " or sub-assembly is" : "s or sub-assemblies are"} empty and cannot be seen.`,
    );
  const assembly: Assembly = {
    version: 1,
    name: title,
    format,
    unit,
    up: "z",
    nodes,
    geometries: shown.geometries.map((g) => ({ id: g.id, triangles: g.indices.length / 3, bounds: g.bounds })),
    warnings,
  };
  return { pkg: { assembly, geometries: shown.geometries }, shapes, placed };
}

/** Names the kernel gives to pieces of a part that the file did not name. */
const UNNAMED = /^(COMPOUND|COMPSOLID|SOLID|SHELL|FACE|WIRE|EDGE|VERTEX)$/;

/**
 * Some exporters write a part as a compound of its solid and of construction geometry. The unnamed pieces that cannot
 * be seen are left out, and a single unnamed solid becomes the part itself, as the author knew it.
 */
function onePart(node: RawNode): RawNode {
  const children = node.children.filter((c) => !(UNNAMED.test(c.name) && c.geometry < 0 && c.children.length === 0));
  const only = children[0];
  const inPlace = only?.home.every((v, i) => v === (i % 5 === 0 ? 1 : 0));
  if (children.length === 1 && only && inPlace && UNNAMED.test(only.name) && only.children.length === 0) {
    return { ...node, geometry: only.geometry, color: only.color, children: [] };
  }
  return { ...node, children };
}

/** Occurrence name, unless it is one that exporters make up; then the product's. */
function pickName(occurrence: string, product: string): string {
  const madeUp = /^(NAUO\s*\d*|=>?\[?[0-9:]*\]?|\d+|.*next_assembly_usage.*|)$/i;
  return madeUp.test(occurrence.trim()) ? product : occurrence;
}

/** The label's place in the document, as text: 0:1:1:3. */
function labelEntry(label: TDF_Label): string {
  const tags: number[] = [];
  let at = label;
  for (;;) {
    tags.push(at.Tag() as unknown as number);
    const father = at.Father();
    if (at !== label) at.delete();
    if (father.IsNull()) {
      father.delete();
      break;
    }
    at = father;
  }
  return tags.reverse().join(":");
}

/**
 * Name attribute of a label. Found by walking the attributes, since asking for it by id does not work in the
 * bindings.
 */
function labelName(kernel: Kernel, label: TDF_Label): string {
  const iterator = new (
    kernel as unknown as {
      TDF_AttributeIterator_2: new (
        l: TDF_Label,
        f: boolean,
      ) => { More(): boolean; Next(): void; Value(): { get(): unknown; delete(): void }; delete(): void };
    }
  ).TDF_AttributeIterator_2(label, false);
  let name = "";
  for (; iterator.More(); iterator.Next()) {
    const handle = iterator.Value();
    const attribute = handle.get() as {
      constructor: { name: string };
      Get?: () => { Length(): number; $$: { ptr: number }; delete(): void };
    };
    if (attribute.constructor.name === "TDataStd_Name" && attribute.Get) {
      const text = attribute.Get();
      // TCollection_ExtendedString: pointer to UTF-16 code units, then the length.
      const at = nth(kernel.HEAPU32, text.$$.ptr >> 2);
      name = new TextDecoder("utf-16le").decode(kernel.HEAPU8.slice(at, at + 2 * text.Length()));
      handle.delete();
      break;
    }
    handle.delete();
  }
  iterator.delete();
  return name;
}

function locationOf(kernel: Kernel, label: TDF_Label): number[] {
  const location = kernel.XCAFDoc_ShapeTool.GetLocation(label);
  const t = location.Transformation();
  const m: number[] = [];
  for (let c = 1; c <= 4; c++) for (let r = 1; r <= 4; r++) m.push(r === 4 ? (c === 4 ? 1 : 0) : t.Value(r, c));
  t.delete();
  location.delete();
  return m;
}

type ColorTool = ReturnType<ReturnType<Kernel["XCAFDoc_DocumentTool"]["ColorTool"]>["get"]>;

/**
 * Surface or else general colour of something, linear RGB and opacity.
 * @param ask fills in the colour of a kind, if there is one
 */
function colorBy(
  kernel: Kernel,
  ask: (type: never, color: InstanceType<Kernel["Quantity_ColorRGBA_1"]>) => boolean,
): RawNode["color"] {
  const color = new kernel.Quantity_ColorRGBA_1();
  const types = kernel.XCAFDoc_ColorType as unknown as Record<string, never>;
  let found: RawNode["color"] = null;
  for (const type of ["XCAFDoc_ColorSurf", "XCAFDoc_ColorGen"]) {
    if (!ask(types[type] as never, color)) continue;
    const rgb = color.GetRGB();
    found = [rgb.Red(), rgb.Green(), rgb.Blue(), color.Alpha()];
    rgb.delete();
    break;
  }
  color.delete();
  return found;
}

const labelColor = (kernel: Kernel, tool: ColorTool, label: TDF_Label): RawNode["color"] =>
  colorBy(kernel, (type, color) => tool.GetColor_5(label, type, color));

const shapeColor = (kernel: Kernel, tool: ColorTool, shape: TopoDS_Shape): RawNode["color"] =>
  colorBy(kernel, (type, color) => tool.GetColor_8(shape, type, color));

/** Colour given to the first solid inside a part rather than to the part. */
function solidColor(kernel: Kernel, tool: ColorTool, shape: TopoDS_Shape): RawNode["color"] {
  const explorer = new kernel.TopExp_Explorer_2(
    shape,
    kernel.TopAbs_ShapeEnum.TopAbs_SOLID as never,
    kernel.TopAbs_ShapeEnum.TopAbs_SHAPE as never,
  );
  const found = explorer.More() ? shapeColor(kernel, tool, explorer.Current()) : null;
  explorer.delete();
  return found;
}

/** A look-up of single faces' colours, or null when the part colours no sub-shape (the usual case, and much faster). */
function faceColors(kernel: Kernel, tool: ColorTool, label: TDF_Label): ((face: TopoDS_Shape) => number) | null {
  const subs = new kernel.TDF_LabelSequence_1();
  kernel.XCAFDoc_ShapeTool.GetSubShapes(label, subs);
  const any = subs.Length() > 0;
  subs.delete();
  if (!any) return null;
  return (face) => {
    const color = shapeColor(kernel, tool, face);
    if (!color) return -1;
    return packLinear(color[0], color[1], color[2]);
  };
}
