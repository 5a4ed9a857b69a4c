import { execFile } from "node:child_process";
import { mkdir, rm, writeFile } from "node:fs/promises";
import { promisify } from "node:util";
import { lagOf } from "../src/core/sound/lag";
import { seconds, sequenceOf } from "../tests/support/assembly";
import { smallProjectFile } from "../tests/support/project";
import { wav } from "../tests/support/sound";
import { Counting } from "./counting";
import { DeskPage, visit } from "./desk";
import { expect, type Page, test } from "./test";

const run = promisify(execFile);
const FOLDER = "var/e2e-sound";

/** Noise that dies away, with silence before it. */
function burst(before: number, length: number): Float32Array {
  const out = new Float32Array(Math.round((before + length) * 48_000));
  let seed = 11;
  for (let i = Math.round(before * 48_000); i < out.length; i++) {
    seed = (seed * 16807) % 2147483647;
    out[i] = (seed / 2147483647 - 0.5) * Math.exp(-(i - before * 48_000) / 4000);
  }
  return out;
}

/** Drops files on something, as from a folder beside the browser. */
async function dropOn(page: Page, selector: string, at: { x: number; y: number }, files: Record<string, Uint8Array>) {
  const data = Object.entries(files).map(([name, bytes]) => ({ name, bytes: [...bytes] }));
  await page.evaluate(
    ([to, place, list]) => {
      const transfer = new DataTransfer();
      for (const { name, bytes } of list) transfer.items.add(new File([new Uint8Array(bytes)], name));
      const target = document.querySelector(to) as HTMLElement;
      const r = target.getBoundingClientRect();
      const init = { bubbles: true, cancelable: true, dataTransfer: transfer };
      const where = { clientX: r.left + place.x, clientY: r.top + place.y };
      target.dispatchEvent(new DragEvent("dragover", { ...init, ...where }));
      target.dispatchEvent(new DragEvent("drop", { ...init, ...where }));
    },
    [selector, at, data] as const,
  );
}

interface Played {
  offset: number;
  speed: number;
  at: number;
}
/** What the loudspeaker was told to play, in place of ears. */
const listen = (page: Page) =>
  page.addInitScript(() => {
    const told: Played[] = [];
    Object.assign(window, { told });
    const { start } = AudioBufferSourceNode.prototype;
    AudioBufferSourceNode.prototype.start = function (when = 0, offset = 0, duration?: number) {
      const desk = (window as unknown as { plextanDesk: { state: { ticks: number } } }).plextanDesk;
      told.push({
        offset: offset - (when - this.context.currentTime) * this.playbackRate.value,
        speed: this.playbackRate.value,
        at: desk.state.ticks / 705_600_000,
      });
      start.call(this, when, offset, duration);
    };
  });
const told = (page: Page) => page.evaluate(() => (window as unknown as { told: Played[] }).told);

test.beforeAll(() => mkdir(FOLDER, { recursive: true }));
test.afterAll(() => rm(FOLDER, { recursive: true, force: true }));

/** Opens a small project of steps of two seconds each. */
async function openSmall(page: Page, name: string, steps = 2): Promise<DeskPage> {
  const film = sequenceOf(Array.from({ length: steps }, () => ({})));
  for (const step of Object.values(film.steps))
    Object.assign(step, { stillBefore: 0, action: seconds(1.5), stillAfter: seconds(0.5) });
  film.picture = { width: 64, height: 36 };
  const file = `${FOLDER}/${name}.plextan.zip`;
  await writeFile(file, smallProjectFile(name, film));
  await visit(page);
  await page.getByLabel("Project file").setInputFiles(file);
  const desk = new DeskPage(page);
  await desk.ready();
  return desk;
}

test("a recording is dropped on the timeline, trimmed, fitted, heard in step and published at its sample", async ({
  page,
}) => {
  await listen(page);
  const desk = await openSmall(page, "Spoken");
  const noise = burst(0.3, 2);
  // One act: it lies in the second step, half a second after it begins.
  const lanes = await page.locator("canvas.lanes").boundingBox();
  const perSecond = ((lanes?.width ?? 0) - 28) / 4;
  await dropOn(page, ".timeline-body", { x: 156 + 2.5 * perSecond, y: 70 }, { "hello.wav": wav(noise) });
  await expect(page.getByRole("heading", { name: "Recording" })).toBeVisible();
  const mark = page.getByRole("button", { name: /^Recording "hello"/ });
  await expect(mark).toHaveAttribute("aria-label", 'Recording "hello" from 2.5 to 4 s');
  await expect(desk.field("In its step at")).toHaveValue("0.5");
  await expect(desk.field("Heard to")).toHaveValue("2.3");

  // It is longer than its step, which is said and mended by the still.
  await page.getByRole("button", { name: "Fit the still after" }).click();
  await expect(mark).toHaveAttribute("aria-label", 'Recording "hello" from 2.5 to 4.8 s');
  // Silence at its beginning is trimmed off, by typing; what is heard stays where it is.
  await desk.type("Heard from", "0.25");
  await expect(desk.field("In its step at")).toHaveValue("0.75");
  await desk.type("Volume", "-6");
  await mark.press("ArrowRight");
  await expect(desk.field("In its step at")).toHaveValue("0.78");
  await mark.press("ArrowLeft");
  await page.getByRole("heading", { name: "Recording" }).click();

  // Played from within the second step: the file is taken up where the picture is.
  await desk.saved();
  await page.reload();
  await desk.ready();
  await expect(mark).toHaveAttribute("aria-label", 'Recording "hello" from 2.75 to 4.8 s');
  await page.evaluate(() =>
    (window as unknown as { plextanDesk: { seek(t: number): void } }).plextanDesk.seek(3.2 * 705_600_000),
  );
  await page.waitForFunction(() =>
    Object.values(
      (window as unknown as { plextanDesk: { state: { heard: Record<string, { state: string }> } } }).plextanDesk.state
        .heard,
    ).every((h) => h.state === "ready"),
  );
  await page.keyboard.press("Space");
  await expect.poll(async () => (await told(page)).length).toBeGreaterThan(0);
  await page.keyboard.press("Space");
  const [first] = await told(page);
  // What is heard at 3.2 s is the file's second 0.25 + 3.2 - 2.75, ahead by what the loudspeaker takes.
  const due = 0.25 + (first?.at ?? 0) - 2.75;
  expect(Math.abs((first?.offset ?? 0) - due)).toBeLessThan(0.12);

  // In the video, listened to from outside.
  await page.getByRole("button", { name: "Publish", exact: true }).click();
  await page.getByRole("button", { name: "Add an output" }).click();
  await page.getByRole("menuitem", { name: /^Video/ }).click();
  await page.getByRole("button", { name: "Make video" }).click();
  await expect(page.getByTestId("publish-result")).toContainText("sound in step to 0.0 ms", { timeout: 120_000 });
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "Download", exact: true }).click();
  await (await download).saveAs(`${FOLDER}/out.mp4`);
  const { stdout } = await run(
    "ffmpeg",
    ["-v", "error", "-i", `${FOLDER}/out.mp4`, "-vn", "-ac", "1", "-ar", "48000", "-f", "f32le", "-"],
    { encoding: "buffer", maxBuffer: 1 << 26 },
  );
  const raw = stdout as unknown as Buffer;
  const heard = new Float32Array(raw.buffer, raw.byteOffset, raw.length / 4);
  expect(Math.abs(heard.length / 48_000 - 4.8)).toBeLessThan(0.03);
  const at = Math.round((2.75 + 0.05) * 48_000);
  const { lag, alike } = lagOf(heard.slice(at - 1000, at + 5000), burst(0, 2).slice(0, 4000), 1000);
  expect([Math.abs(lag) <= 1, alike > 0.8]).toEqual([true, true]);
});

test("several go one to each step; one is replaced, recorded again, made music and taken away; what is none is refused", async ({
  page,
}) => {
  const desk = await openSmall(page, "Several");
  const tone = wav(burst(0, 0.5));
  await page.getByLabel("Recordings for this step").setInputFiles([
    { name: "take 2.wav", mimeType: "audio/wav", buffer: Buffer.from(tone) },
    { name: "take 1.wav", mimeType: "audio/wav", buffer: Buffer.from(tone) },
  ]);
  await expect(page.getByText("2 recordings, one for each of 2 steps from here on.")).toBeVisible();
  const marks = page.getByRole("button", { name: /^Recording "/ });
  await expect(marks).toHaveCount(2);
  await expect(marks.nth(1)).toHaveAttribute("aria-label", 'Recording "take 2" from 2 to 2.5 s');

  // Dropped on a step's card it is that step's, from its beginning on.
  const card = page.locator("[data-step]").nth(1);
  await dropOn(page, `[data-step=${await card.getAttribute("data-step")}]`, { x: 40, y: 20 }, { "extra.wav": tone });
  await expect(page.getByRole("button", { name: /^Recording "extra" from 2 to 2.5 s/ })).toHaveCount(1);
  await desk.press("Control+z");
  await expect(marks).toHaveCount(2);
  await marks.nth(0).press("Enter");

  await page.getByLabel("Another file for this recording").setInputFiles({
    name: "longer.wav",
    mimeType: "audio/wav",
    buffer: Buffer.from(wav(burst(0, 0.75))),
  });
  await expect(page.getByText("It stays at its time, and is 0.25 s longer than before.")).toBeVisible();
  for (const [name, text, said] of [
    ["notes.wav", "RIFF of a text", /"notes.wav" is not a sound/],
    ["empty.mp3", "", /There is no sound in "empty.mp3"/],
    ["cut.wav", Buffer.from(tone.subarray(0, 20)), /"cut.wav" is not a sound/],
  ] as const) {
    await page
      .getByLabel("Another file for this recording")
      .setInputFiles({ name, mimeType: "audio/wav", buffer: Buffer.from(text as string) });
    await expect(page.getByText(said)).toBeVisible();
  }
  await expect(desk.field("Heard to")).toHaveValue("0.75");

  // From the microphone, which beeps here: while it goes on the step is played, and what is said is kept.
  await page.getByRole("button", { name: "Record again" }).click();
  const bar = page.getByRole("status", { name: "Recording" });
  await expect(bar).toContainText(/[1-9]\.\d s/);
  await bar.getByRole("button", { name: "Keep" }).click();
  await expect(bar).toBeHidden();
  await expect(desk.field("Heard to")).not.toHaveValue("0.75");
  const recorded = Number(await desk.field("Heard to").inputValue());
  expect(recorded).toBeGreaterThan(0.8);
  await page.getByRole("button", { name: "Record again" }).click();
  await bar.getByRole("button", { name: "Throw away" }).click();
  await expect(bar).toBeHidden();

  await desk.choose("What it is", "music under the sequence");
  await expect(page.getByRole("button", { name: "Music", exact: true })).toBeVisible();
  await page.getByRole("switch", { name: "Again to the end" }).click();
  await expect(page.getByRole("button", { name: /^Music "take 1" from 0 to 4 s/ })).toBeVisible();
  await page.getByRole("button", { name: /^Music "take 1"/ }).press("Delete");
  await expect(page.getByRole("button", { name: "Music", exact: true })).toBeHidden();
  await page.keyboard.press("Control+z");
  await expect(page.getByRole("button", { name: "Music", exact: true })).toBeVisible();
});

test("three steps get a voice each and music under them, and a video with them, in at most fourteen acts", async ({
  page,
}) => {
  const desk = await openSmall(page, "Narrated", 3);
  const job = new Counting(page, desk);
  const lanes = await page.locator("canvas.lanes").boundingBox();
  const at = { x: 156 + 0.01 * (((lanes?.width ?? 0) - 28) / 6), y: 70 };
  const loud = (length: number) => burst(0, length).map((v) => 1.9 * v);
  const voices = Object.fromEntries([1.2, 3, 2.6].map((length, i) => [`${i + 1}.wav`, wav(loud(length))]));
  await job.act(() => dropOn(page, ".timeline-body", at, voices));
  await expect(page.getByText("3 recordings, one for each of 3 steps from here on.")).toBeVisible();
  // Two are longer than their steps.
  for (const name of ["2", "3"]) {
    await job.act(() => page.getByRole("button", { name: new RegExp(`^Recording "${name}"`) }).press("Enter"));
    await job.click("Fit the still after");
  }
  await expect(page.getByRole("button", { name: /^Recording "3" from 5 to 7.6 s/ })).toHaveCount(1);
  await job.act(() => page.locator("[data-step]").first().click());
  await job.act(() =>
    page
      .getByLabel("Music for the sequence", { exact: true })
      .setInputFiles({ name: "bed.wav", mimeType: "audio/wav", buffer: Buffer.from(wav(loud(4))) }),
  );
  await job.act(() => page.getByRole("switch", { name: "Again to the end" }).click());
  await job.type("Softer under a voice", "0");
  await expect(page.getByText(/together would clip: they are played, and made, \d\.\d dB softer/)).toBeVisible();
  await job.type("Softer under a voice", "18");
  await job.act(() => page.getByRole("button", { name: "Publish", exact: true }).click());
  await job.click("Add an output");
  await job.act(() => page.getByRole("menuitem", { name: /^Video/ }).click());
  await job.click("Make video");
  await expect(page.getByTestId("publish-result")).toContainText("sound in step to 0.0 ms", { timeout: 120_000 });
  job.done("three voices, music, a video", 14);
});

test("leaving a project while something is made is asked about, and stops it", async ({ page }) => {
  await openSmall(page, "Leaving");
  await page.getByRole("button", { name: "Publish", exact: true }).click();
  await page.getByRole("button", { name: "Add an output" }).click();
  await page.getByRole("menuitem", { name: /^Numbered frames/ }).click();
  await page.getByLabel("Width", { exact: true }).fill("6000%");
  await page.getByLabel("Width", { exact: true }).press("Enter");
  await expect(page.getByLabel("Height", { exact: true })).toHaveValue("2160");
  await page.getByRole("button", { name: "Make numbered frames" }).click();
  await expect(page.getByTestId("publish-progress")).toBeVisible();
  await page.keyboard.press("Escape");
  await page.getByRole("link", { name: "All projects" }).click();
  const ask = page.getByRole("dialog", { name: "An output is still being made" });
  await ask.getByRole("button", { name: "Stay" }).click();
  await expect(ask).toBeHidden();
  await page.getByRole("link", { name: "All projects" }).click();
  await ask.getByRole("button", { name: "Leave and stop" }).click();
  await expect(page.getByRole("heading", { name: "Projects" })).toBeVisible();
});
