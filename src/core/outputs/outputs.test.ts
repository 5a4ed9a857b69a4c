import { describe, expect, test } from "vitest";
import { cubePackage, key, preparation, seconds, sequenceOf } from "../../../tests/support/assembly";
import { sound } from "../../../tests/support/sound";
import { captionsAsVtt } from "../../formats/out/captions/webvtt";
import { indexAssembly } from "../assembly/assembly";
import { placeCaption, placeTitle, plainMeasure } from "../captions/layout";
import { OutputSchema } from "../document/outputs";
import { SequenceSchema } from "../document/sequence";
import type { Sound } from "../document/sounds";
import { compile } from "../program/compile";
import { embedSnippet } from "./embed";
import { contextOf, settingsOf } from "./kind";
import { OUTPUT_KINDS, outputKindOf } from "./kinds";
import { loop, loopTimes } from "./loop";
import { pictureIn, shareOfPicture } from "./picture";
import { stepRange } from "./range";
import { chaptersOf, type VideoSettings, video } from "./video";

const index = indexAssembly(cubePackage().assembly);
const film = () => sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 4 })] }, {}, {}]);
const program = (s = film()) => compile(index, preparation(), s);
const context = (p = program()) => ({ program: p, range: { from: 0, to: p.steps.length }, looks: {} });

describe("kinds of outputs", () => {
  test.each(OUTPUT_KINDS.map((k) => [k.id, k] as const))(
    "%s: what a new one begins with is as it should be",
    (_, kind) => {
      const p = program();
      const defaults = kind.defaults(p);
      expect(kind.schema.parse(defaults)).toEqual(defaults);
      // And fits into a document, also as it comes out of a file.
      const output = {
        id: "o",
        name: kind.title,
        kind: kind.id,
        range: { of: "all" as const },
        settings: { ...defaults },
      };
      expect(OutputSchema.parse(JSON.parse(JSON.stringify(output)))).toEqual(output);
      expect(SequenceSchema.parse({ ...film(), outputs: { o: output } }).outputs).toEqual({ o: output });
      expect(kind.remarks(defaults, context(p)).filter((r) => r.tone === "wrong")).toEqual([]);
      const plan = kind.plan(defaults, context(p));
      expect(plan.bytes).toBeGreaterThan(0);
      expect(plan.width > 0).toBe(kind.draws);
      expect(kind.file(defaults).ending).toMatch(/^\.[a-z0-9]+$/);
      // Every setting can be reached, or belongs to one that can.
      const shown = new Set(kind.fields.flatMap((f) => (f.type === "rate" ? ["rateNum", "rateDen"] : [f.name])));
      expect(Object.keys(defaults).filter((name) => !shown.has(name))).toEqual([]);
      for (const f of kind.fields)
        if (f.options) expect(f.options.map((o) => o.value)).toContain((defaults as never)[f.name]);
    },
  );
  test("one that this version does not know is kept as it came", () => {
    const other = { id: "o", name: "Later", kind: "hologram", range: { of: "all" }, settings: { depth: 3 } };
    expect(SequenceSchema.parse({ ...film(), outputs: { o: other } }).outputs?.o).toEqual(other);
    expect(outputKindOf("hologram")).toBeUndefined();
  });
  test("settings that are not as they should be are as in a new one, and named; the others stay", () => {
    const p = program();
    const { settings, replaced } = settingsOf(video, { settings: { width: -4, quality: 0.3, format: "film" } }, p);
    expect(replaced.sort()).toEqual(["format", "width"]);
    expect(settings).toMatchObject({ width: p.sequence.picture.width, quality: 0.3, format: "mp4-h264" });
  });
});

describe("what is made of a sequence", () => {
  test("all of it, some steps, or a time: steps in any order, those that are off passed over", () => {
    const s = film();
    const p = program(s);
    const [a, b, c] = [p.steps.end[0], p.steps.end[1], p.steps.end[2]];
    expect(stepRange({ of: "all" }, p)).toEqual({ from: 0, to: c });
    expect(stepRange({ of: "steps", first: "s1", last: "s1" }, p)).toEqual({ from: a, to: b });
    expect(stepRange({ of: "steps", first: "s2", last: "s1" }, p)).toEqual({ from: a, to: c });
    expect(stepRange({ of: "steps", first: "s1", last: "gone" }, p)).toBeNull();
    expect(stepRange({ of: "time", from: 100, to: 1e15 }, p)).toEqual({ from: 100, to: c });
    expect(stepRange({ of: "time", from: 1e15, to: 2e15 }, p)).toBeNull();
    const off = film();
    if (off.steps.s1) off.steps.s1.on = false;
    const q = program(off);
    expect(stepRange({ of: "steps", first: "s1", last: "s2" }, q)).toEqual({ from: a, to: q.steps.length });
    expect(stepRange({ of: "steps", first: "s1", last: "s1" }, q)).toBeNull();
    expect(contextOf({ range: { of: "steps", first: "s1", last: "s1" } }, q, {})).toBeNull();
    expect(stepRange({ of: "all" }, program({ ...film(), stepOrder: [], steps: {} }))).toBeNull();
  });
  test("another shape stands between bars, or fills", () => {
    const p = program({ ...film(), picture: { width: 1920, height: 1080 } });
    expect(pictureIn({ width: 1280, height: 720, shape: "bars" }, p)).toEqual({
      left: 0,
      top: 0,
      width: 1280,
      height: 720,
    });
    expect(pictureIn({ width: 1000, height: 1000, shape: "bars" }, p)).toEqual({
      left: 0,
      top: 218,
      width: 1000,
      height: 563,
    });
    expect(pictureIn({ width: 2000, height: 900, shape: "bars" }, p)).toEqual({
      left: 200,
      top: 0,
      width: 1600,
      height: 900,
    });
    expect(pictureIn({ width: 1000, height: 1000, shape: "fill" }, p)).toEqual({
      left: 0,
      top: 0,
      width: 1000,
      height: 1000,
    });
    // An odd pixel is no other shape.
    expect(pictureIn({ width: 853, height: 480, shape: "bars" }, p)).toEqual({
      left: 0,
      top: 0,
      width: 853,
      height: 480,
    });
  });
});

describe("a size as a share of the picture", () => {
  const p = program();
  test.each([
    ["50%", { size: { width: 640, height: 360 } }],
    [" 33,3 % ", { size: { width: 426, height: 240 } }],
    ["640", null],
    ["%", null],
    ["-5%", null],
    ["1%", { error: "That is 13 × 7; at least 16 pixels a side." }],
    ["700%", { error: "That is 8960 × 5040; at most 8192 pixels a side." }],
  ])("%s", (text, size) => expect(shareOfPicture(text, p)).toEqual(size));
});

describe("a video", () => {
  const p = program();
  const usual = video.defaults(p) as VideoSettings;
  const texts = (more: Partial<VideoSettings>, c = context(p)) =>
    video.remarks({ ...usual, ...more }, c).map((r) => `${r.tone}: ${r.text}`);
  test("has as many frames as its part at its rate, and about so many bytes", () => {
    const c = { ...context(p), range: { from: 0, to: seconds(2) } };
    expect(video.plan({ ...usual, rateNum: 25, rateDen: 1 }, c)).toMatchObject({ frames: 50, seconds: 2 });
    expect(video.plan({ ...usual, rateNum: 24000, rateDen: 1001 }, c).frames).toBe(48);
    const plan = video.plan({ ...usual, width: 101, height: 51, quality: 0.5, rateNum: 10, rateDen: 1 }, c);
    // A tiny picture has more than that at least.
    expect(plan).toMatchObject({ width: 100, height: 50, frames: 20, bytes: (2 * 25_000) / 8 });
    expect(video.plan({ ...usual, mbit: 8 }, c).bytes).toBe(2e6);
  });
  test("says what is choppy, what cannot be, and what will be otherwise", () => {
    expect(texts({})).toEqual([]);
    expect(texts({ rateNum: 15, rateDen: 1 })).toEqual([expect.stringMatching(/^look: Under 24/)]);
    expect(texts({ rateNum: 1000, rateDen: 1 })).toEqual([expect.stringMatching(/^wrong: No player/)]);
    expect(texts({ width: 161, height: 90 })).toEqual(["look: Encoders need even sizes: 160 × 90 will be made."]);
    expect(texts({ look: "gone" })).toEqual([expect.stringMatching(/^wrong: Its look is gone/)]);
    expect(texts({ width: 4000, fineness: 3 })).toEqual([]);
    expect(texts({ width: 4000, fineness: 3, blur: 4 })).toEqual([expect.stringMatching(/^wrong: Drawn 3 times/)]);
  });
  test("a still after the end of its part says that it will be of the last moment", () => {
    const still = outputKindOf("still");
    const said = (at: number) => still?.remarks({ ...still.defaults(p), at }, context(p)).map((r) => r.tone);
    expect(said(0)).toEqual([]);
    expect(said(3600)).toEqual(["look"]);
  });
  test("that ends in motion without a still says that its last pose is in no frame", () => {
    const s = film();
    for (const step of Object.values(s.steps)) step.stillAfter = 0;
    const last = s.steps.s2;
    if (last) last.action = seconds(1);
    const q = program(s);
    expect(texts({}, context(q))).toEqual([expect.stringMatching(/last pose is in no frame/)]);
    expect(texts({}, { ...context(q), range: { from: 0, to: q.steps.end[0] as number } })).toEqual([]);
  });
});

describe("the sound of a video", () => {
  const spoken = (...sounds: Sound[]) =>
    context(program({ ...film(), sounds: Object.fromEntries(sounds.map((v) => [v.id, v])) }));
  const s = video.defaults(program());

  test("counts in the size only where something is heard in the part", () => {
    const silent = video.plan(s, spoken()).bytes;
    const said = spoken(sound("v", 1, "s1", 0));
    expect(video.plan(s, said).bytes - silent).toBeCloseTo((9 * 128_000) / 8, 0);
    expect(video.plan({ ...s, sound: 0 }, said).bytes).toBe(silent);
    expect(video.plan(s, { ...said, range: { from: 0, to: seconds(2.9) } }).bytes).toBe(
      video.plan(s, { ...spoken(), range: { from: 0, to: seconds(2.9) } }).bytes,
    );
  });
  test("that the end cuts off is said; music may end anywhere", () => {
    const remarks = (c: ReturnType<typeof spoken>) => video.remarks(s, c).map((r) => r.text);
    expect(remarks(spoken(sound("Bye", 3, "s2", 1)))).toEqual([
      '"Bye" is cut off after 2 s by the end of the film. Lengthen the still of its step.',
    ]);
    expect(remarks(spoken(sound("m", 30, null, 0, { role: "music" }), sound("v", 2, "s2", 1)))).toEqual([]);
    // A part that ends in the middle of what is said, too.
    const part = { ...spoken(sound("v", 2, "s0", 0)), range: { from: 0, to: seconds(1.5) } };
    expect(remarks(part)[0]).toMatch(/"v" is cut off after 1.5 s/);
  });
  test("its chapters are the steps of the part, from its beginning", () => {
    const c = context();
    expect(chaptersOf(c)).toEqual([
      { at: 0, title: "Step 0" },
      { at: 3, title: "Step 1" },
      { at: 6, title: "Step 2" },
    ]);
    expect(chaptersOf({ ...c, range: { from: seconds(4), to: seconds(6) } })).toEqual([{ at: 0, title: "Step 1" }]);
  });
});

describe("a loop", () => {
  test("has frames that begin at rounded times, and no error adds up", () => {
    const times = loopTimes({ format: "gif", rateNum: 30, rateDen: 1 }, 30);
    expect([...times.slice(0, 4), times[30]]).toEqual([0, 3, 7, 10, 100]);
    expect(loopTimes({ format: "webp", rateNum: 30000, rateDen: 1001 }, 30)[30]).toBe(1001);
    for (let i = 1; i <= 30; i++) expect((times[i] as number) - (times[i - 1] as number)).toBeGreaterThan(2);
  });
  test("begins small and keeps the shape; faster than browsers show is refused", () => {
    const s = loop.defaults(program());
    expect([s.width, s.height]).toEqual([480, 270]);
    expect(loop.remarks({ ...s, rateNum: 60 }, context())[0]).toMatchObject({ tone: "wrong" });
    expect(loop.remarks({ ...s, rateNum: 50 }, context())).toEqual([]);
  });
});

describe("captions as a file", () => {
  test("hold what is read or titles, and say when there is none", () => {
    const kind = outputKindOf("captions");
    const s = { format: "vtt", words: "caption" };
    expect(kind?.remarks(s, context()).map((r) => r.text)).toEqual([
      "No step has a caption, so that there will be nothing in it.",
    ]);
    expect(kind?.remarks({ ...s, words: "title" }, context())).toEqual([]);
    expect(captionsAsVtt(program(), undefined, "title")).toContain("00:00:03.000 --> 00:00:06.000\nStep 1");
  });
});

test("the title of a step stands in the corner away from the captions, larger, and inside", () => {
  const at = (captions: "bottom" | "top") => placeTitle(plainMeasure, "2   Open the lid", 1280, 720, 1, captions);
  const caption = placeCaption(plainMeasure, "Release the latch.", 1280, 720, 1, "bottom");
  expect(at("bottom").top + at("bottom").height).toBeLessThan(caption.top);
  expect(at("top").top).toBeGreaterThan(360);
  expect(at("bottom").size).toBeGreaterThan(caption.size);
  const long = placeTitle(plainMeasure, "word ".repeat(40), 1280, 720, 1, "bottom");
  expect(long.lines.length).toBeGreaterThan(2);
  expect(long.left + long.width).toBeLessThan(1280);
});

describe("what puts a page into a website", () => {
  test("names the file as an address and the sequence as text, and takes the picture's shape", () => {
    const snippet = embedSnippet(`R & D's "x".html`, 'Lid "up" <b>', { width: 1280, height: 720 });
    expect(snippet).toContain('src="R%20%26%20D%27s%20%22x%22.html"');
    expect(snippet).toContain('title="Lid &quot;up&quot; &lt;b&gt;"');
    expect(snippet).toContain("aspect-ratio:1280 / 936;");
    expect(snippet).toMatch(/^<iframe [^<>]*><\/iframe>$/);
  });
});
