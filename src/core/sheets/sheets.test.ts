import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { boxPackage } from "../../../tests/support/boxes";
import { indexAssembly } from "../assembly/assembly";
import { plainMeasure } from "../captions/layout";
import { emptyPreparation } from "../document/preparation";
import type { MadeMove, Sequence } from "../document/sequence";
import { sheets } from "../outputs/sheets";
import { compile } from "../program/compile";
import { markerBeyond, momentsOf, sheetSteps } from "./content";
import { lettersLacking, settable } from "./letters";
import { noteWords } from "./notes";
import { partsUsed } from "./parts";
import { SheetDrawer } from "./picture";

const SCREW = [6, 6, 20] as const;
const kit = boxPackage("kit", [
  { name: "base", at: [0, 0, -40], size: [160, 120, 12] },
  { name: "lid", at: [0, 0, 0], children: [{ name: "plate", at: [0, 0, 0], size: [60, 40, 6] }] },
  ...[-50, -30, 30, 50].map((x, i) => ({
    name: "screw",
    at: [x, 0, i] as [number, number, number],
    size: [...SCREW] as [number, number, number],
  })),
]);
const programOf = (sequence: Sequence, preparation = emptyPreparation()) =>
  compile(indexAssembly(kit.assembly), preparation, sequence);
const whole = (sequence: Sequence) => ({ from: 0, to: programOf(sequence).steps.length });

describe("what a step's note says", () => {
  test("tools, torque by line and within a sentence, and what is left", () => {
    expect(
      noteWords(
        "Tools: hex key 4,5 mm, spanner 14 mm; drip tray\nTighten to 2.5 Nm in turn.\ntorque: 6 N·m ± 0.5\n\n\n\nMind the seal.",
      ),
    ).toEqual({
      tools: ["hex key 4,5 mm", "spanner 14 mm", "drip tray"],
      torque: ["2.5 Nm", "6 N·m ± 0.5"],
      rest: "Tighten to 2.5 Nm in turn.\n\nMind the seal.",
    });
    expect(noteWords("Lower 12 mm, then 3 nm of oil film")).toEqual({
      tools: [],
      torque: [],
      rest: "Lower 12 mm, then 3 nm of oil film",
    });
    expect(noteWords("Tool: Spanner\ntools: spanner").tools).toEqual(["Spanner"]);
  });

  test("nothing of a note is lost, whatever it says", () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom("Tools: a, b", "Torque: 3 Nm", "plain", "", "Torque:", "x: y"), { maxLength: 8 }),
        (lines) => {
          const words = noteWords(lines.join("\n"));
          const said = [...words.tools, ...words.torque, words.rest].join(" ");
          for (const line of lines)
            for (const word of line.replace(/^(Tools|Torque): /, "").split(/[ ,]+/)) expect(said).toContain(word);
        },
      ),
    );
  });
});

describe("what a step uses", () => {
  const sequence = sequenceOf([
    {
      "kit/screw": [key("a", 1, 0.5, { "slide.z": 30 })],
      "kit/screw#2": [key("b", 1, 0.5, { "slide.z": 30 })],
      "kit/screw#3": [key("c", 1, 0.5, { "slide.z": 30 })],
      "kit/lid": [key("d", 2, 0.5, { "slide.z": 30 })],
      "kit/lid/plate": [key("e", 2, 0.5, { "turn.z": 30 })],
    },
    { camera: [key("f", 2, 1, { azimuth: 60 })] },
  ]);

  test("parts of one name and shape are counted, and what is within another is not listed", () => {
    const program = programOf(sequence);
    expect(partsUsed(program, sequence.steps.s0 as never)).toEqual([
      { name: "lid", quantity: 1 },
      { name: "screw", quantity: 3 },
    ]);
    expect(partsUsed(program, sequence.steps.s1 as never)).toEqual([]);
  });

  test("what only points at a part, or is switched off, does not use it", () => {
    const other = sequenceOf([{ "kit/lid": [key("d", 2, 0.5, { "slide.z": 30 })] }]);
    const step = other.steps.s0 as NonNullable<Sequence["steps"][string]>;
    for (const move of Object.values(step.moves)) move.on = false;
    step.moves.look = {
      ...{ id: "look", name: "", on: true, folder: null, colour: null, note: "", start: 0, length: seconds(1) },
      ...{ ease: { kind: "soft", start: 0.3, stop: 0.4 }, targets: [{ type: "node", key: "kit/base" }] },
      ...{ kind: "attention", settings: { way: "pulse", colour: "ochre", times: 2, dim: 0.8, hold: 0 } },
    } as unknown as MadeMove;
    expect(partsUsed(programOf(other), step)).toEqual([]);
  });
});

describe("moments", () => {
  const sequence = sequenceOf([
    { "kit/lid": [key("a", 2, 1, { "slide.z": 30 })] },
    { camera: [key("b", 2, 1, { azimuth: 60 })] },
    { "kit/lid": [key("c", 1, 0.9, { "slide.z": 60 }), key("d", 2, 0.9, { "slide.z": 30 })] },
  ]);

  test("before and after where something has changed, one where it has not", () => {
    const program = programOf(sequence);
    const of = (at: number) => momentsOf(program, at, "both");
    expect(of(0)).toEqual([
      { ticks: seconds(0.5), word: "Before" },
      { ticks: seconds(2.5) - 1, word: "After" },
    ]);
    expect(of(1)).toEqual([{ ticks: seconds(5.5) - 1, word: "" }]);
    // There and back: all is as it was.
    expect(of(2)).toHaveLength(1);
  });

  test("one moment: beginning, middle, end, or the first marker of the step", () => {
    sequence.markers = {
      m2: { id: "m2", name: "late", step: "s0", at: seconds(2) },
      m1: { id: "m1", name: "picture", step: "s0", at: seconds(1.25) },
      far: { id: "far", name: "beyond", step: "s1", at: seconds(90) },
    };
    const program = programOf(sequence);
    const at = (step: number, moments: Parameters<typeof momentsOf>[2]) => momentsOf(program, step, moments)[0]?.ticks;
    expect([at(0, "before"), at(0, "middle"), at(0, "after"), at(0, "marker")]).toEqual([
      seconds(0.5),
      seconds(1.5),
      seconds(2.5) - 1,
      seconds(1.25),
    ]);
    // Without a marker the end; one beyond its step's end is drawn at it.
    expect(at(2, "marker")).toBe(at(2, "after"));
    expect(at(1, "marker")).toBe(seconds(6) - 1);
    // Which is said, where it is so.
    expect([0, 1, 2].map((n) => markerBeyond(program, n))).toEqual([false, true, false]);
  });

  test("steps of a range, numbered as in the whole; a step without a title is called by its number", () => {
    const named = sequenceOf([{}, {}, {}]);
    (named.steps.s1 as { title: string }).title = "  ";
    const program = programOf(named);
    const steps = sheetSteps(program, { from: seconds(3.5), to: seconds(7) }, "after");
    expect(steps.map((s) => [s.number, s.title])).toEqual([
      [2, "Step 2"],
      [3, "Step 2"],
    ]);
    expect(sheetSteps(program, whole(named), "after")).toHaveLength(3);
  });
});

describe("letters", () => {
  test("what the font lacks is named once; look-alikes and accents are put together", () => {
    expect(lettersLacking(["Łódź, Γρανάζι, шестерня, Xoay chốt ữ", "螺丝 螺"])).toEqual(["螺", "丝"]);
    expect(settable("e\u0301 ⌀12 co\u2011op")).toBe("é Ø12 co-op");
  });

  test("the sheets say so before they are made, for a PDF, and that captions are missing", () => {
    const sequence = sequenceOf([{}, {}]);
    (sequence.steps.s0 as { title: string }).title = "螺丝 <b>";
    const program = programOf(sequence);
    const context = { program, range: whole(sequence), looks: {} };
    const remarks = sheets.remarks(sheets.defaults(program), context);
    expect(remarks.map((r) => r.tone)).toEqual(["look", "look"]);
    expect(remarks[0]?.text).toMatch(/No step has a caption/);
    expect(remarks[1]?.text).toMatch(/no 螺 丝:/);
    (sequence.steps.s1 as { caption: string }).caption = "Now.";
    const web = { ...sheets.defaults(program), format: "html" as const, look: "gone" };
    expect(sheets.remarks(web, { ...context, program: programOf(sequence) })).toEqual([
      { tone: "wrong", text: expect.stringMatching(/look is gone/) },
    ]);
  });
  test("a marker after the end of its step is said, where markers are what is drawn", () => {
    const marked = sequenceOf([{}, {}]);
    marked.markers = { far: { id: "far", name: "beyond", step: "s1", at: seconds(90) } };
    for (const step of Object.values(marked.steps)) step.caption = "Look";
    const program = programOf(marked);
    const said = (moments: "marker" | "both") =>
      sheets
        .remarks({ ...sheets.defaults(program), moments }, {
          program,
          looks: {},
          range: { from: 0, to: program.steps.length },
        } as unknown as Parameters<typeof sheets.remarks>[1])
        .map((r) => r.text);
    expect(said("marker")).toEqual([
      "A marker lies after the end of its step, 2: the end is drawn. Move it, or choose another moment.",
    ]);
    expect(said("both")).toEqual([]);
  });
});

describe("pictures", () => {
  test("a line drawing has what acts apart from the rest, and no shaded picture is asked for", () => {
    const sequence = sequenceOf([{ "kit/lid": [key("a", 2, 1, { "slide.z": 30 })] }]);
    const program = programOf(sequence);
    const make = (lines: boolean, nodes = {}) =>
      new SheetDrawer(program, kit.geometries, { nodes }, { lines, arrows: true, measure: plainMeasure }).draw(0, 0);
    const drawn = make(true);
    expect(drawn.strokes?.map((s) => s.acts)).toContain(true);
    expect(drawn.strokes?.map((s) => s.acts)).toContain(false);
    expect(make(false).strokes).toBeNull();
    // Nothing of a ghost hides what is behind it.
    expect(
      make(true, { "kit/lid": { ghost: true } })
        .strokes?.filter((s) => s.acts)
        .every((s) => s.faint),
    ).toBe(true);
    expect(drawn.arrows).toHaveLength(1);
  });
});
