import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { cubePackage, key, preparation, sequenceOf } from "../../tests/support/assembly";
import { richFilm, richPreparation } from "../../tests/support/richFilm";
import { indexAssembly } from "../core/assembly/assembly";
import { IMPORT_DEFAULTS } from "../core/assembly/importSettings";
import { decodePackage, encodePackage } from "../core/assembly/package";
import { differences } from "../core/edit/differences";
import { VERSION_HEADER } from "../core/text/version";
import { packForWire } from "../formats/wire/pack";
import type { HostAnswer, HostRequest } from "./host";

/*
 * The workers as the page meets them: loaded with a scope of their own, asked by messages.
 */

type Answers = { value?: unknown; told: unknown[]; fault?: { name: string; message: string; status?: number } };

/** Loads a worker and gives what asks it one question. */
async function worker(load: () => Promise<unknown>): Promise<(name: string, input: unknown) => Promise<Answers>> {
  const open = new Map<number, { answers: Answers; done: (a: Answers) => void }>();
  const scope = {
    onmessage: null as ((e: { data: HostRequest }) => void) | null,
    postMessage(answer: HostAnswer) {
      const asked = open.get(answer.id);
      if (!asked) return;
      if ("told" in answer) asked.answers.told.push(answer.told);
      else {
        if ("fault" in answer) asked.answers.fault = answer.fault;
        else asked.answers.value = answer.value;
        open.delete(answer.id);
        asked.done(asked.answers);
      }
    },
  };
  vi.stubGlobal("self", scope);
  vi.resetModules();
  await load();
  let last = 0;
  return (name, input) =>
    new Promise((done) => {
      open.set(++last, { answers: { told: [] }, done });
      scope.onmessage?.({ data: { id: last, name, input: structuredClone(input) } });
    });
}

beforeEach(() => vi.spyOn(console, "error").mockImplementation(() => {}));
afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

const pkg = cubePackage();
const bytes = encodePackage(pkg);
const index = indexAssembly(pkg.assembly);
const opening = { bytes, assembly: pkg.assembly };
const A = index.indexOf.get("root/arm/a") as number;
const B = index.indexOf.get("root/arm/b") as number;
const BASE = index.indexOf.get("root/base") as number;

describe("the proof", () => {
  const load = () => worker(() => import("./proof"));
  const film = () => {
    const sequence = sequenceOf([
      { "root/arm": [key("a", 1, 0.8, { "turn.x": 350 }), key("b", 2, 0.8, { "turn.x": 10 })] },
    ]);
    return { name: "f", preparation: preparation(), sequence };
  };
  test("finds what is wrong in a film, and the same again when only what changed was looked at", async () => {
    const ask = await load();
    expect((await ask("prove", "f")).fault?.message).toBe("No assembly is open.");
    await ask("open", opening);
    expect((await ask("prove", "f")).fault?.message).toBe("This film was not sent.");
    const whole = film();
    await ask("film", whole);
    const first = await ask("prove", "f");
    const checks = (a: Answers) => (a.value as { findings: { check: string }[] }).findings.map((f) => f.check);
    expect(checks(first)).toContain("spins-back");
    expect((await ask("prove", "f")).value).toEqual(first.value);
    const mended = structuredClone(whole.sequence);
    const move = mended.steps.s0?.moves["m-root_arm"];
    if (move?.kind === "hand" && move.keys.b) move.keys.b.values["turn.x"] = 370;
    const changes = differences(whole.sequence, mended);
    expect(changes.some((c) => c.path.join(" ") === "steps s0 moves m-root_arm keys b values turn.x")).toBe(true);
    expect((await ask("film", { name: "h", from: "g", changes })).fault?.message).toContain("was not sent");
    expect((await ask("film", { name: "g", from: "f", changes })).fault).toBeUndefined();
    expect(checks(await ask("prove", "g"))).not.toContain("spins-back");
    expect((await ask("prove", "f")).fault?.message).toBe("This film was not sent.");
    // Another preparation is another world: nothing of before is kept.
    await ask("film", { ...whole, name: "other" });
    expect((await ask("prove", "other")).value).toEqual(first.value);
  });
});

describe("the planner", () => {
  const load = () => worker(() => import("./planner"));
  const world = index.homeWorld;
  const body = (n: number) => ({ id: pkg.assembly.nodes[n]?.key ?? "", nodes: [n] });

  test("finds ways off, and how far until two are clear of one another", async () => {
    const ask = await load();
    expect((await ask("open", opening)).fault).toBeUndefined();
    const ways = (await ask("ways", { world, body: body(A), others: [body(B), body(BASE)] })).value as {
      direction: number[];
      clear: number;
      blockers: number[];
    }[];
    expect(ways.length).toBeGreaterThan(0);
    for (const w of ways) {
      expect(Math.hypot(...w.direction)).toBeCloseTo(1, 9);
      expect(w.blockers.every((b) => b === 0 || b === 1)).toBe(true);
    }
    // The two cubes stand 30 mm apart along x in the world, each 10 mm wide.
    const clear = (await ask("clear", { world, body: body(A), others: [body(B)], direction: [1, 0, 0] }))
      .value as number;
    expect(clear).toBeGreaterThanOrEqual(0);
    expect(Number.isFinite(clear)).toBe(true);
  });
  test("plans an exploded view with what stays, and refuses what has no geometry", async () => {
    const ask = await load();
    await ask("open", opening);
    const { value } = await ask("plan", { world, bodies: [body(A), body(B)], rest: body(BASE), gap: 5, stagger: 0.2 });
    const made = value as { plan: { why: string; distance: number }[]; collisions: unknown[] };
    expect(made.plan.length).toBeGreaterThanOrEqual(2);
    expect(made.collisions).toEqual([]);
    const empty = { id: "none", nodes: [] };
    expect(
      (await ask("plan", { world, bodies: [body(A), empty], rest: null, gap: 5, stagger: 0 })).fault,
    ).toMatchObject({ name: "Refusal", message: /no geometry in one/ });
    expect((await ask("ways", { world, body: empty, others: [] })).fault).toMatchObject({
      name: "Refusal",
      message: "There is no geometry in what is selected.",
    });
  });
  test("that was never opened says so to us, not to the user", async () => {
    const ask = await load();
    expect((await ask("clear", { world, body: body(A), others: [], direction: [1, 0, 0] })).fault).toMatchObject({
      name: "Error",
      message: "No assembly is open.",
    });
  });
});

describe("the watcher of the film", () => {
  const film = { name: "1", preparation: richPreparation, sequence: richFilm() };
  test("tells the camera's jerks, the framing of each step, and what covers what", async () => {
    const ask = await worker(() => import("./watch"));
    await ask("open", opening);
    await ask("film", film);
    const abrupt = (await ask("abrupt", "1")).value as { ticks: number; jump: number }[];
    expect(abrupt.length).toBeGreaterThan(0);
    expect(abrupt.every((p, i) => i === 0 || p.jump <= (abrupt[i - 1]?.jump ?? 0))).toBe(true);
    const framing = (await ask("framing", "1")).value as { step: string; acting: number[] }[];
    expect(framing.map((f) => f.step)).toEqual(film.sequence.stepOrder);
    expect(framing[0]?.acting).toContain(A);
    const covers = (await ask("covers", { film: "1", nodes: [A], t0: 0, t1: 705_600_000 })).value as number[];
    expect(covers.every((n) => Number.isInteger(n) && n !== A)).toBe(true);
  });
  test("looks at the film that it was sent last, whole or in what differs from the one before", async () => {
    const ask = await worker(() => import("./watch"));
    await ask("open", opening);
    const still = { name: "2", preparation: film.preparation, sequence: sequenceOf([{}]) };
    await ask("film", still);
    expect((await ask("abrupt", "2")).value).toEqual([]);
    expect((await ask("abrupt", "1")).fault?.message).toBe("This film was not sent.");
    await ask("film", { name: "1", from: "2", changes: differences(still.sequence, film.sequence) });
    const first = (await ask("abrupt", "1")).value;
    expect(first).not.toEqual([]);
    await ask("film", film);
    expect((await ask("abrupt", "1")).value).toEqual(first);
  });
  test("cannot draw where there is nothing to draw on, and goes on with the rest", async () => {
    const ask = await worker(() => import("./watch"));
    await ask("open", opening);
    await ask("film", film);
    expect(
      (await ask("pictures", { film: "1", wanted: [{ id: "a", ticks: 0 }], width: 32, height: 18 })).fault,
    ).toBeDefined();
    expect((await ask("abrupt", "1")).fault).toBeUndefined();
  });
});

describe("the packer of files", () => {
  const text = (s: string) => new TextEncoder().encode(s);
  const STL =
    "solid cube\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 10 0 0\nvertex 0 10 0\nendloop\nendfacet\nendsolid cube\n";

  test("reads a mesh file as it would come in, in the unit that is asked for", async () => {
    const ask = await worker(() => import("./source"));
    const read = async (unit: "mm" | "in") =>
      decodePackage(
        (await ask("preview", { name: "cube.stl", bytes: text(STL), settings: { ...IMPORT_DEFAULTS, unit } }))
          .value as Uint8Array,
      ).geometries[0]?.bounds.max[0];
    expect(await read("mm")).toBeCloseTo(10, 4);
    expect(await read("in")).toBeCloseTo(254, 3);
  });
  test("packs a model with what lies beside it, and names what is missing of a set", async () => {
    const ask = await worker(() => import("./source"));
    const packed = (
      await ask("pack", {
        files: [
          { name: "a.obj", bytes: text("mtllib a.mtl\nv 0 0 0\n") },
          { name: "a.mtl", bytes: text("newmtl m\n") },
        ],
        loose: false,
      })
    ).value as { bytes: Uint8Array; main: string | null; missing: string[] };
    expect(packed.bytes.length).toBeGreaterThan(50);
    expect([packed.main, packed.missing]).toEqual([null, []]);
    expect(
      (await ask("preview", { name: "x.stl", bytes: text("solid\n"), settings: IMPORT_DEFAULTS })).fault,
    ).toMatchObject({ name: "ImportError" });
    expect(
      (await ask("preview", { name: "x.step", bytes: text("ISO-10303-21;"), settings: IMPORT_DEFAULTS })).fault,
    ).toMatchObject({ name: "ImportError", message: "This kind of file has no preview." });
  });
});

describe("the loader", () => {
  const answer = (status: number, body: Uint8Array | string) =>
    vi.stubGlobal(
      "fetch",
      async () => new Response(body as BodyInit, { status, headers: { "content-length": String(body.length) } }),
    );

  test("tells the tree, then the shapes, and gives the package as it is stored with one picking tree a shape", async () => {
    answer(200, await packForWire(bytes));
    const ask = await worker(() => import("./loader"));
    const { value, told } = await ask("load", { url: "/package", showsAfterMs: 0 });
    const loaded = value as { bytes: ArrayBuffer; trees: { roots: unknown[]; index: unknown }[] };
    expect(new Uint8Array(loaded.bytes)).toEqual(bytes);
    expect(loaded.trees).toHaveLength(1);
    expect([loaded.trees[0]?.roots.length, loaded.trees[0]?.index]).toEqual([1, null]);
    const stages = told as { stage: string; share?: number; assembly?: unknown; shapes?: { shape: number }[] }[];
    expect(stages.map((t) => t.stage)).toEqual(["tree", "shapes", "download"]);
    expect(stages[0]?.assembly).toEqual(decodePackage(bytes).assembly);
    expect(stages[2]?.share).toBe(1);
    expect(stages[1]?.shapes?.map((s) => s.shape)).toEqual([0]);
    // What comes in a moment, or for a page that shows nothing of it, is not copied.
    for (const showsAfterMs of [60_000, null]) {
      answer(200, await packForWire(bytes));
      const quick = await ask("load", { url: "/package", showsAfterMs });
      expect((quick.told as { stage: string }[]).map((t) => t.stage)).toEqual(["download"]);
    }
  });
  test("passes on what the server says, with its status; damaged bytes are said to be", async () => {
    answer(404, '{"error":"This project no longer exists."}');
    const ask = await worker(() => import("./loader"));
    expect((await ask("load", { url: "/package", showsAfterMs: null })).fault).toEqual({
      name: "ApiError",
      message: "This project no longer exists.",
      status: 404,
    });
    answer(500, "no json");
    expect((await ask("load", { url: "/package", showsAfterMs: null })).fault).toMatchObject({
      status: 500,
      message: "The assembly could not be loaded (500).",
    });
    for (const wrong of [new Uint8Array([1, 2, 3]), bytes, (await packForWire(bytes)).subarray(0, -1)]) {
      answer(200, wrong);
      expect((await ask("load", { url: "/package", showsAfterMs: null })).fault).toMatchObject({
        name: "PackageError",
      });
    }
  });
});

describe("the publisher", () => {
  const captioned = () => {
    const sequence = structuredClone(sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 4 })] }, {}]));
    for (const [id, caption] of [
      ["s0", "First <one>"],
      ["s1", "Then"],
    ] as const) {
      const step = sequence.steps[id];
      if (step) step.caption = caption;
    }
    return { name: "f", preparation: preparation(), sequence };
  };
  const output = { id: "o", name: "Words", kind: "captions", range: { of: "all" }, settings: { format: "vtt" } };
  const publisher = async () => {
    const ask = await worker(() => import("./publish"));
    await ask("open", opening);
    await ask("film", captioned());
    const make = async (more: object = {}) => {
      const { value, fault, told } = await ask("make", { film: "f", output: { ...output, ...more }, plain: false });
      const made = value as { file: Blob; checked: string[] } | undefined;
      return { text: await made?.file.text(), type: made?.file.type, checked: made?.checked, fault, told };
    };
    return { ask, make };
  };

  test("writes captions of the part that is made, and says how many", async () => {
    const { make } = await publisher();
    const all = await make();
    expect(all.text).toBe(
      "WEBVTT\n\n00:00:00.000 --> 00:00:03.000\nFirst &lt;one&gt;\n\n00:00:03.000 --> 00:00:06.000\nThen\n",
    );
    expect([all.type, all.checked]).toEqual(["text/vtt", ["2 captions"]]);
    const part = await make({ range: { of: "time", from: 4 * 705_600_000, to: 5 * 705_600_000 } });
    expect(part.text).toBe("WEBVTT\n\n00:00:00.000 --> 00:00:01.000\nThen\n");
    const srt = await make({ range: { of: "steps", first: "s1", last: "s1" }, settings: { format: "srt" } });
    expect(srt.text).toBe("1\n00:00:00,000 --> 00:00:03,000\nThen\n");
    expect(srt.checked).toEqual(["1 caption"]);
  });
  test("writes the parts with their motion, and says how exact it is", async () => {
    const { ask } = await publisher();
    const scene = { ...output, kind: "scene", settings: { visibility: "plain", steps: true } };
    const { value, told } = await ask("make", { film: "f", output: scene, plain: false });
    const { file, checked } = value as { file: Blob; checked: string[] };
    expect(file.type).toBe("model/gltf-binary");
    expect(new TextDecoder().decode((await file.arrayBuffer()).slice(0, 4))).toBe("glTF");
    expect(checked[0]).toMatch(/^3 animations, \d+ keys$/);
    expect(checked[1]).toMatch(/^at most 0\.0\d+ mm off/);
    expect(told.length).toBeGreaterThanOrEqual(0);
  });
  test("every kind of output has what makes it", async () => {
    const { OUTPUT_KINDS } = await import("../core/outputs/kinds");
    const { MAKERS } = await import("./outputs/makers");
    expect(Object.keys(MAKERS).sort()).toEqual(OUTPUT_KINDS.map((k) => k.id).sort());
  });
  test("what cannot be made says why: nothing left of its part, a kind that is not known, wrong settings", async () => {
    const { ask, make } = await publisher();
    expect((await make({ range: { of: "steps", first: "gone", last: "s0" } })).fault?.message).toMatch(/part/);
    expect((await make({ kind: "hologram" })).fault?.message).toMatch(/cannot make "hologram"/);
    expect((await make({ kind: "video", settings: { look: "gone" } })).fault?.message).toMatch(/look is gone/);
    expect((await ask("make", { film: "g", output, plain: false })).fault?.message).toBe("This film was not sent.");
    // And all goes on.
    expect((await make()).text).toContain("Then");
  });
});

describe("the publisher", () => {
  const addresses = { player: "/player/page.js", letters: "/letters/", sounds: "/sounds/", version: "ours" };
  const answered = (version: string | null) =>
    vi.stubGlobal(
      "fetch",
      async () => new Response("the player", { headers: version ? { [VERSION_HEADER]: version } : {} }),
    );
  const ask = async () => {
    const asked = await worker(() => import("./publish"));
    await asked("open", opening);
    await asked("film", { name: "f", preparation: preparation(), sequence: sequenceOf([{}, {}]) });
    const output = { id: "o", name: "Page", kind: "page", range: { of: "all" }, settings: {} };
    return (version: string | null) =>
      asked("look", { film: "f", output, step: 0, addresses: { ...addresses, version } });
  };
  test("puts no page together from the player of another version: that would not know what this one writes", async () => {
    const look = await ask();
    answered("ours");
    expect((await look("ours")).value).toContain("<!doctype html>");
    answered("a later one");
    expect((await look("ours")).fault).toMatchObject({
      name: "Refusal",
      message: expect.stringMatching(/was updated since you opened it.*Reload/),
    });
    // Where nothing is said of a version, as on the command line, there is one alone.
    expect((await look(null)).value).toContain("<!doctype html>");
    answered(null);
    expect((await look("ours")).value).toContain("<!doctype html>");
  });
});
