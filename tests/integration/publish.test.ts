import { readdir, readFile, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import { unzipSync } from "fflate";
import { describe, expect, test } from "vitest";
import type { Sound } from "../../src/core/document/sounds";
import { nth } from "../../src/core/math/packed";
import { lagOf } from "../../src/core/sound/lag";
import { key, seconds, sequenceOf } from "../support/assembly";
import { plextan, run } from "../support/commandLine";
import { hashOf, smallProjectFile } from "../support/project";
import { sound, wav } from "../support/sound";

describe("publishing from the command line", () => {
  test("publish makes what is asked for, or an output that is kept, and leaves nothing half made", async () => {
    const file = "var/publish.plextan.zip";
    const film = sequenceOf([{ "root/arm": [key("a", 0.5, 0.4, { "turn.x": 90 })] }]);
    const [step] = Object.values(film.steps);
    if (step) Object.assign(step, { caption: "It turns.", stillBefore: 0, stillAfter: 0, action: seconds(0.5) });
    film.picture = { width: 64, height: 36 };
    film.outputs = {
      o: {
        ...{ id: "o", name: "For the web", kind: "video", range: { of: "all" } },
        settings: { format: "webm-vp9", width: 64, height: 48, captions: "none", rateNum: 24, rateDen: 1 },
      },
    };
    film.outputs.wide = {
      ...{ id: "wide", name: "Banner", kind: "still", range: { of: "all" } },
      settings: { width: 4400, height: 44, shape: "fill", captions: "none" },
    };
    film.outputs.small = {
      ...{ id: "small", name: "Small and new", kind: "video", range: { of: "all" } },
      settings: {
        format: "webm-av1",
        width: 64,
        height: 36,
        captions: "panel",
        captionPlace: "top",
        titles: 1,
        mbit: 0.2,
      },
    };
    const size = { width: 64, height: 36 };
    const whole = { range: { of: "all" } } as const;
    film.outputs.loop = {
      ...{ id: "loop", name: "Loop", kind: "loop", ...whole },
      settings: { format: "gif", ...size, rateNum: 20, rateDen: 1 },
    };
    film.outputs.dull = { id: "dull", name: "loop", kind: "scene", ...whole, settings: {} };
    film.outputs.odd = { id: "odd", name: "Odd", kind: "still", ...whole, settings: { width: 3 } };
    await writeFile(file, smallProjectFile("Small", film));
    const make = (to: string, ...more: string[]) => plextan("publish", file, ...more, "--to", to);
    const words = await make("var/out.vtt", "--as", "vtt");
    expect(JSON.parse(words.out)).toMatchObject({ file: "out.vtt", kind: "captions", checked: ["1 caption"] });
    expect(await readFile("var/out.vtt", "utf8")).toBe("WEBVTT\n\n00:00:00.000 --> 00:00:00.500\nIt turns.\n");
    const scene = await make("var/out.glb", "--as", "glb");
    expect(JSON.parse(scene.out).checked[0]).toMatch(/^1 animation, \d+ keys$/);
    // What is drawn is drawn by the browser: frame for frame as in the app, for it is the same worker. All that is kept
    // is made in one go; what cannot be made keeps nothing else from it, and is told by the exit code.
    const all = await plextan("publish", file, "--all", "--to", "var/all");
    expect(all.err).not.toMatch(/Unexpected/);
    expect(all.code).toBe(3);
    const made = JSON.parse(all.out) as { output: string; file: string; checked: string[]; fault?: string }[];
    expect(made.map((m) => m.file ?? m.fault)).toEqual([
      ...["For the web.webm", "Banner.png", "Small and new.webm", "Loop.gif", "loop.glb"],
      "These settings are not as they should be: width.",
    ]);
    expect((await readdir("var/all")).sort()).toEqual(
      ["Banner.png", "For the web.webm", "Loop.gif", "Small and new.webm", "loop.glb"].sort(),
    );
    expect(made[0]).toMatchObject({ width: 64, height: 48, frames: 12 });
    expect(made[0]?.checked[0]).toBe("12 frames, each at its time");
    const { stdout } = await run(
      "ffmpeg",
      ["-v", "error", "-i", "var/all/For the web.webm", "-f", "rawvideo", "-pix_fmt", "gray", "-"],
      {
        encoding: "buffer",
      },
    );
    const pixels = stdout as unknown as Buffer;
    expect(pixels.length).toBe(64 * 48 * 12);
    // Another shape stands between bars, six rows above and below.
    const row = (y: number) => Array.from(pixels.subarray(64 * y, 64 * (y + 1)));
    expect(Math.max(...row(2), ...row(45))).toBeLessThan(20);
    expect(Math.min(...row(8))).toBeGreaterThan(60);
    // A loop shows what the stage does, in a palette of its own; what stands still is one picture.
    expect(made[3]).toMatchObject({
      frames: 10,
      checked: [expect.stringMatching(/^\d+ pictures?, 0.50 s in all$/)],
    });
    await make("var/out.png", "--as", "png", "--size", "64x36");
    const first = async (of: string) => {
      const raw = ["-frames:v", "1", "-f", "rawvideo", "-pix_fmt", "gray", "-"];
      return (await run("ffmpeg", ["-v", "error", "-i", of, ...raw], { encoding: "buffer" }))
        .stdout as unknown as Buffer;
    };
    const [gif, png] = [await first("var/all/Loop.gif"), await first("var/out.png")];
    const off = Array.from(gif, (v, i) => Math.abs(v - (png[i] as number)));
    expect(off.reduce((x, y) => x + y, 0) / off.length).toBeLessThan(5);
    // Wider than is drawn in one piece: where two tiles meet nothing is to be seen.
    const wide = await first("var/all/Banner.png");
    const change = (x: number) => {
      let sum = 0;
      for (let y = 0; y < 44; y++) sum += Math.abs((wide[4400 * y + x] as number) - (wide[4400 * y + x - 1] as number));
      return sum / 44;
    };
    const seam = 4096 - 128;
    expect(Math.max(...[-1, 0, 1].map((i) => change(seam + i)))).toBeLessThan(1);
    // And it is a picture on both sides: the background gets darker downward.
    for (const x of [seam - 9, seam + 9])
      expect((wide[x] as number) - (wide[4400 * 43 + x] as number)).toBeGreaterThan(8);
    // Another encoder at a rate, with words at the top and in the corner.
    expect(made[2]?.checked[0]).toBe("15 frames, each at its time");
    for (const [args, said] of [
      [
        ["--output", "For print"],
        'no output "For print". It has: "For the web", "Banner", "Small and new", "Loop", "loop", "Odd"',
      ],
      [["--as", "mp4", "--size", "20000x20000"], "settings are not as they should be: width, height"],
      [["--as", "mp4", "--rate", "1000"], "No player shows more"],
    ] as const) {
      const r = await make("var/no.mp4", ...args);
      expect(r.code).toBe(2);
      expect(r.err).toContain(said);
    }
    expect((await readdir("var")).filter((f) => f.startsWith("no.mp4") || f.endsWith(".part"))).toEqual([]);
    for (const f of [file, "var/out.vtt", "var/out.glb", "var/out.png", "var/all"]) await rm(f, { recursive: true });
  }, 120_000);

  test("the sound of a video is at its sample, in every format", async () => {
    const file = "var/spoken.plextan.zip";
    // A tone that rises, which no encoder takes for noise, a quarter of a second into the second step.
    const rising = Float32Array.from({ length: 24_000 }, (_, i) => {
      const t = i / 48_000;
      return 0.6 * Math.sin(2 * Math.PI * (300 * t + 4000 * t * t));
    });
    const bytes = wav(rising);
    const film = sequenceOf([{ "root/arm": [key("a", 0.5, 0.4, { "turn.x": 90 })] }, {}]);
    for (const step of Object.values(film.steps))
      Object.assign(step, { stillBefore: 0, stillAfter: 0, action: seconds(0.5) });
    film.picture = { width: 64, height: 36 };
    film.sounds = { v: sound("v", 0.5, "s1", 0.25, { asset: hashOf(bytes), volume: -6 }) };
    film.sounds.v = { ...film.sounds.v, to: seconds(0.2) } as Sound;
    film.outputs = Object.fromEntries(
      ["mp4-h264", "webm-vp9"].map((format, i) => [
        format,
        { id: `o${i}`, name: "spoken", kind: "video", range: { of: "all" as const }, settings: { format } },
      ]),
    );
    await writeFile(file, smallProjectFile("Spoken", film, [bytes]));
    const all = JSON.parse((await plextan("publish", file, "--all", "--to", "var")).out) as { checked: string[] }[];
    for (const [i, as] of ["mp4", "webm"].entries()) {
      expect(all[i]?.checked).toContain("sound in step to 0.0 ms");
      const { stdout } = await run(
        "ffmpeg",
        ["-v", "error", "-i", `var/spoken.${as}`, "-vn", "-ar", "48000", "-f", "f32le", "-"],
        { encoding: "buffer", maxBuffer: 1 << 26 },
      );
      const raw = stdout as unknown as Buffer;
      // Steps are chapters, in both.
      const shown = await run("ffprobe", ["-v", "error", "-show_chapters", "-of", "json", `var/spoken.${as}`]);
      const chapters = JSON.parse(shown.stdout).chapters as { start_time: string; tags: { title: string } }[];
      expect(chapters.map((c) => [Number(c.start_time), c.tags.title])).toEqual([
        [0, "Step 0"],
        [0.5, "Step 1"],
      ]);
      expect(all[i]?.checked).toContain("2 chapters");
      // The left of two channels.
      const heard = new Float32Array(raw.buffer, raw.byteOffset, raw.length / 4).filter((_, i) => i % 2 === 0);
      expect(Math.abs(heard.length / 48_000 - 1)).toBeLessThan(0.03);
      const at = 0.75 * 48_000;
      const { lag, alike } = lagOf(heard.slice(at - 2000, at + 6000), rising.slice(0, 4000), 2000);
      expect([as, Math.abs(lag) <= 1, alike > 0.95]).toEqual([as, true, true]);
      const loud = (a: number, b: number) => Math.max(...heard.subarray(a, b).map(Math.abs));
      expect(loud(0, at - 1500)).toBeLessThan(0.02);
      // At -6 dB, by what both have in common; what was trimmed off is not heard.
      const dot = (a: Float32Array, b: Float32Array) => a.reduce((sum, v, i) => sum + v * (b[i] as number), 0);
      const part = rising.slice(0, 4000);
      expect(dot(heard.slice(at, at + 4000), part) / dot(part, part)).toBeCloseTo(0.501, 1);
      expect(loud(at + 0.21 * 48_000, 48_000)).toBeLessThan(0.02);
      await rm(`var/spoken.${as}`);
    }
    await rm(file);
  }, 120_000);

  test("motion blur is the light of all moments of a frame, and stills stay as they are", async () => {
    const file = "var/blur.plextan.zip";
    const film = sequenceOf([{ "root/arm": [key("a", 0.2, 0.2, { "slide.y": 60 })] }]);
    const [step] = Object.values(film.steps);
    if (step) Object.assign(step, { stillBefore: 0, stillAfter: seconds(0.1), action: seconds(0.2) });
    film.picture = { width: 128, height: 72 };
    const range = { of: "all" } as const;
    const size = { width: 128, height: 72, captions: "none", rateDen: 1 };
    const sharp = { format: "webm-vp9", quality: 2, rateNum: 30, shutter: 360 };
    const small = { format: "mp4-h264", width: 64, height: 36, rateNum: 60 };
    film.outputs = {
      b: { id: "b", name: "Blurred", kind: "video", range, settings: { ...size, ...sharp, blur: 8 } },
      f: { id: "f", name: "Moments", kind: "frames", range, settings: { ...size, rateNum: 240 } },
      m: { id: "m", name: "Small", kind: "video", range, settings: { ...size, ...small } },
    };
    await writeFile(file, smallProjectFile("Small", film));
    const r = await plextan("publish", file, "--all", "--to", "var");
    expect(r.err).not.toMatch(/Unexpected/);
    expect(r.code).toBe(0);
    const grey = async (...from: string[]) => {
      const raw = ["-f", "rawvideo", "-pix_fmt", "rgb24", "-"];
      const { stdout } = await run("ffmpeg", ["-v", "error", ...from, ...raw], {
        encoding: "buffer",
        maxBuffer: 1 << 28,
      });
      return stdout as unknown as Buffer;
    };
    const entries = Object.values(unzipSync(new Uint8Array(await readFile("var/Moments.zip"))));
    expect(entries).toHaveLength(72);
    await writeFile("var/moments.png", Buffer.concat(entries));
    const moments = await grey("-f", "image2pipe", "-c:v", "png", "-i", "var/moments.png");
    const frames = await grey("-i", "var/Blurred.webm");
    const each = 128 * 72 * 3;
    expect([moments.length, frames.length]).toEqual([72 * each, 9 * each]);
    const light = (v: number) => (v <= 10 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4);
    const shown = (l: number) => 255 * (l <= 0.0031308 ? 12.92 * l : 1.055 * l ** (1 / 2.4) - 0.055);
    /** Mean distance of a frame from the light of so many moments from its beginning on, where it moves, or all over. */
    const off = (frame: number, count: number) => {
      let sum = 0;
      let counted = 0;
      for (let i = 0; i < each; i++) {
        const of = (m: number) => nth(moments, (8 * frame + m) * each + i);
        if (frame < 6 && Math.abs(of(0) - of(7)) < 30) continue;
        counted++;
        let l = 0;
        for (let m = 0; m < count; m++) l += light(of(m)) / count;
        sum += Math.abs(shown(l) - nth(frames, frame * each + i));
      }
      return sum / counted;
    };
    for (const frame of [2, 3]) {
      expect(off(frame, 8)).toBeLessThan(12);
      expect(off(frame, 1)).toBeGreaterThan(2 * off(frame, 8));
    }
    expect(off(8, 1)).toBeLessThan(1.5);
    // H.264 keeps to a rate, and would make a still better before one's eyes: held frames are the same to the last bit.
    const still = await grey("-i", "var/Small.mp4");
    const one = 64 * 36 * 3;
    expect(still.length).toBe(18 * one);
    for (let f = 13; f < 18; f++)
      expect(still.subarray(f * one, (f + 1) * one).equals(still.subarray(12 * one, 13 * one)), `${f}`).toBe(true);
    expect(still.subarray(0, one).equals(still.subarray(12 * one, 13 * one))).toBe(false);
    const made = JSON.parse(r.out) as { output: string; checked: string[] }[];
    expect(made.find((m) => m.output === "Small")?.checked.slice(0, 2)).toEqual([
      "18 frames, each at its time",
      "stills stand",
    ]);
    for (const f of [file, "var/Small.mp4", "var/Blurred.webm", "var/Moments.zip", "var/moments.png"]) await rm(f);
  }, 120_000);

  test("a long video is made in a small heap: it is written as it is made", async () => {
    const file = "var/long.plextan.zip";
    const film = sequenceOf([{ "root/arm": [key("a", 0.2, 0.2, { "turn.x": 36 })] }]);
    // Two minutes, nearly all of it a still: each frame is encoded and written, few are drawn.
    for (const step of Object.values(film.steps))
      Object.assign(step, { stillBefore: 0, action: seconds(0.2), stillAfter: seconds(119.8) });
    film.picture = { width: 32, height: 18 };
    film.outputs = {
      o: {
        ...{ id: "o", name: "Long", kind: "video", range: { of: "all" as const } },
        settings: { format: "webm-vp9", width: 32, height: 18, captions: "none", rateNum: 30, rateDen: 1 },
      },
    };
    await writeFile(file, smallProjectFile("Long", film));
    const chromium = process.env.CHROMIUM ?? "/usr/bin/chromium";
    const small = path.resolve("var/small-heap.sh");
    const flags = "--max-old-space-size=32 --max-semi-space-size=2";
    await writeFile(small, `#!/bin/sh\nexec "${chromium}" --js-flags="${flags}" "$@"\n`, { mode: 0o755 });
    const { stdout } = await run("bin/plextan", ["publish", file, "--output", "Long", "--to", "var/long.webm"], {
      env: { ...process.env, CHROMIUM: small },
      maxBuffer: 1 << 26,
    });
    expect(JSON.parse(stdout).checked[0]).toBe("3,600 frames, each at its time");
    for (const f of [file, small, "var/long.webm"]) await rm(f);
  }, 120_000);

  test("step sheets are read back: text, letters, links, pictures", async () => {
    const file = "var/sheets.plextan.zip";
    const film = sequenceOf([
      { "root/arm": [key("a", 1, 0.9, { "slide.z": 30 })] },
      { "root/base": [key("b", 1, 0.9, { "slide.y": 30 })] },
      {},
    ]);
    const long = Array.from({ length: 125 }, (_, i) => `word${100 + i}`)
      .join(" ")
      .slice(0, 1000);
    const said = [
      { title: "<b>Swing</b> & Łódź", caption: long, note: "Tools: hex key 4 mm\nTorque: 2.5 Nm\nMind the seal." },
      { title: "Γρανάζι 螺丝", caption: "шестерня", note: "" },
      { title: "Done", caption: "", note: "" },
    ];
    for (const [i, step] of Object.values(film.steps).entries()) Object.assign(step, said[i]);
    film.picture = { width: 320, height: 180 };
    const range = { of: "all" } as const;
    const common = { notes: true, revision: "C", perPage: 6 };
    film.outputs = {
      a: { id: "a", name: "Lines", kind: "sheets", range, settings: { ...common, style: "lines", paper: "letter" } },
      b: { id: "b", name: "Shaded", kind: "sheets", range, settings: { ...common, dpi: 110, hold: "lying" } },
      c: { id: "c", name: "Web", kind: "sheets", range, settings: { ...common, format: "html", style: "lines" } },
    };
    await writeFile(file, smallProjectFile("Small", film));
    const all = await plextan("publish", file, "--all", "--to", "var/sheets");
    expect(all.code).toBe(0);
    expect(all.err).toContain("The PDF's font has no 螺 丝");
    const made = JSON.parse(all.out) as { checked: string[] }[];
    // Two steps in which something moves, before and after; nothing is left without.
    expect(made[0]?.checked).toEqual(["4 pages", "3 steps", "4 arrows", "2 letters stand as boxes: 螺 丝"]);
    const words = async (name: string, ...args: string[]) =>
      (await run("pdftotext", [...args, `var/sheets/${name}.pdf`, "-"])).stdout.replace(/\s+/g, " ");
    for (const name of ["Lines", "Shaded"]) {
      const text = await words(name);
      for (const t of [
        "<b>Swing</b> & Łódź",
        "Γρανάζι",
        "шестерня",
        "hex key 4 mm",
        "2.5 Nm",
        "Mind the seal.",
        "1 × arm",
      ])
        expect(text).toContain(t);
      for (const word of long.split(" ")) expect(text.split(word)).toHaveLength(2);
      expect(text).toMatch(/Revision C · \d+ \w+ \d{4} Page 3 of \d/);
      const fonts = (await run("pdffonts", [`var/sheets/${name}.pdf`])).stdout.trim().split("\n").slice(2);
      // Regular and bold Latin, and the alphabets in use; each embedded, in parts, with what its letters mean.
      expect(fonts.length).toBeGreaterThan(4);
      for (const line of fonts) expect(line).toMatch(/\+IBMPlexSans-\w+ +CID TrueType +Identity-H +yes yes yes/);
    }
    const size = async (name: string) =>
      /Page size: +([\d.]+) x ([\d.]+)/.exec((await run("pdfinfo", [`var/sheets/${name}.pdf`])).stdout);
    expect((await size("Lines"))?.slice(1)).toEqual(["612", "792"]);
    expect((await size("Shaded"))?.slice(1)).toEqual(["841.89", "595.28"]);
    expect((await run("pdfinfo", ["var/sheets/Lines.pdf"])).stdout).toMatch(/Tagged: +yes/);
    // Read aloud by what they show.
    expect((await run("pdfinfo", ["-struct-text", "var/sheets/Lines.pdf"])).stdout).toMatch(
      /Figure[\s\S]*H2[\s\S]*Swing/,
    );
    const pictures = async (name: string) =>
      (await run("pdfimages", ["-list", `var/sheets/${name}.pdf`])).stdout.trim().split("\n").slice(2);
    expect(await pictures("Lines")).toEqual([]);
    // The cover, two steps with two each, and one with one.
    const shaded = await pictures("Shaded");
    expect(shaded).toHaveLength(6);
    for (const line of shaded) expect(line).toMatch(/ jpeg /);
    // Each line of the contents leads to the page that it names, and the bookmarks do.
    const { stdout: xml } = await run("pdftohtml", ["-xml", "-stdout", "-i", "var/sheets/Lines.pdf"]);
    const titles = [...xml.matchAll(/<a href="[^"]*?#(\d+)">(?:<b>)?([^<]*)/g)].map((m) => [
      m[2]?.trim(),
      Number(m[1]),
    ]);
    const [, page] = titles.find(([title]) => title === "Done") ?? [];
    expect(await words("Lines", "-f", String(page), "-l", String(page))).toContain("3 Done");
    expect(await words("Lines", "-f", "2", "-l", "2")).toContain(`3 Done ${page}`);
    expect(xml.match(/<item page="\d+">/g)).toHaveLength(3);
    const html = await readFile("var/sheets/Web.html", "utf8");
    expect(html).toContain("&lt;b&gt;Swing&lt;/b&gt; &amp; Łódź");
    expect(html).toContain("螺丝");
    expect(html).not.toContain("<script");
    await rm(file);
    await rm("var/sheets", { recursive: true });
  }, 120_000);
});
