import { execFile } from "node:child_process";
import { mkdir, readFile, rm, writeFile } from "node:fs/promises";
import { promisify } from "node:util";
import { unzipSync } from "fflate";
import { nth } from "../src/core/math/packed";
import { DeskPage, visit } from "./desk";
import { expect, test } from "./test";

const run = promisify(execFile);
const AS1 = "node_modules/occt-import-js/test/testfiles/cax-if/as1-oc-214.stp";
const SUB = "as1/l-bracket-assembly_1";

test.describe.configure({ mode: "serial" });

test("a STEP assembly becomes a keyed, saved, playable explainer", async ({ page }) => {
  const desk = await DeskPage.newProject(page, "Bracket explainer");

  await test.step("the file comes in stage by stage", async () => {
    // With bytes of its own: what another test brought in is there at once.
    await writeFile("var/as1-story.stp", `${await readFile(AS1, "utf8")}\n`);
    await page.getByLabel("CAD file").setInputFiles("var/as1-story.stp");
    await expect(page.getByText("Bringing in as1-story.stp")).toBeVisible();
    await expect(page.locator(".stages li")).toHaveText([/Upload/, /Read/, /Mesh/, /Store/]);
    await desk.ready(120_000);
    await expect(desk.part("as1")).toBeVisible();
    await desk.part("as1").click();
    await page.getByRole("tree").press("ArrowRight");
    await expect(desk.part(SUB)).toBeVisible();
  });

  await test.step("picking on the stage and in the tree stay in step; climb to the owner", async () => {
    const box = await page.getByTestId("stage-canvas").boundingBox();
    if (!box) throw new Error("no stage");
    const spot = await page.evaluate(() => {
      const { view } = (
        window as unknown as {
          plextanDesk: {
            view: {
              draw(): void;
              pointing: { pickAt(x: number, y: number): { node: number } | null };
              canvas: HTMLCanvasElement;
            };
          };
        }
      ).plextanDesk;
      view.draw();
      const r = view.canvas.getBoundingClientRect();
      for (let y = 0.3; y < 0.7; y += 0.05)
        for (let x = 0.3; x < 0.7; x += 0.05)
          if (view.pointing.pickAt(r.width * x, r.height * y)) return { x: r.width * x, y: r.height * y };
      return null;
    });
    if (!spot) throw new Error("nothing drawn");
    await page.mouse.click(box.x + spot.x, box.y + spot.y);
    await expect(page.locator(".part-row.selected")).toHaveCount(1);
    const name = await page.locator(".details h3").innerText();
    await expect(page.locator(".part-row.selected")).toContainText(name);
    await desk.press("Alt+ArrowUp");
    await expect(page.locator(".details h3")).not.toHaveText(name);
    await desk.press("Escape");
    await expect(page.locator(".part-row.selected")).toHaveCount(0);
  });

  await test.step("looking around keys nothing", async () => {
    const box = await page.getByTestId("stage-canvas").boundingBox();
    if (!box) throw new Error("no stage");
    await page.mouse.move(box.x + 60, box.y + 300);
    await page.mouse.down();
    await page.mouse.move(box.x + 160, box.y + 330, { steps: 4 });
    await page.mouse.up();
    await page.mouse.wheel(0, -240);
    await expect(page.getByRole("button", { name: "Through the camera" })).toHaveAttribute("aria-pressed", "false");
    await expect(page.getByRole("button", { name: "Undo" })).toBeDisabled();
    await page.getByRole("button", { name: "Fit everything" }).click();
  });

  await test.step("add a step, name and caption it, playhead to 2.4 s by typing", async () => {
    await page.getByRole("button", { name: "Add step" }).click();
    await desk.field("Title").fill("Swing the bracket");
    await desk.field("Title").press("Enter");
    await desk.field("Caption").fill("The bracket slides out and turns.");
    await desk.field("Caption").blur();
    await expect(page.locator(".card-title").nth(1)).toHaveText("Swing the bracket");
    await desk.type("Time in step", "2.4");
    await expect(desk.field("Sequence time")).toHaveValue("5.400");
  });

  await test.step("slide by dragging with snapping and a read-out; Escape takes it back", async () => {
    await desk.part(SUB).click();
    const from = await desk.bead({ kind: "slide", axis: 2 });
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await page.mouse.move(from.x, from.y - 40, { steps: 5 });
    await expect(page.locator(".readout")).toContainText(/Z \+?-?\d+ mm/);
    await page.keyboard.press("Escape");
    await page.mouse.up();
    await expect(page.locator(".pending-bar")).toHaveCount(0);
    expect(Number(await desk.field("Slide Z").inputValue())).toBe(0);

    const again = await desk.bead({ kind: "slide", axis: 2 });
    await page.mouse.move(again.x, again.y);
    await page.mouse.down();
    await page.mouse.move(again.x, again.y - 30, { steps: 5 });
    await page.mouse.up();
    const slid = Number(await desk.field("Slide Z").inputValue());
    expect(slid).not.toBe(0);
    expect(Number.isInteger(slid)).toBe(true);
    await expect(page.locator(".pending-bar")).toBeVisible();
    await expect(page.locator(".tag-pending")).toHaveText("pending");
  });

  await test.step("turn by dragging; then the exact values by typing", async () => {
    const from = await desk.bead({ kind: "turn", axis: 0 });
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await page.mouse.move(from.x + 14, from.y + 22, { steps: 6 });
    await page.mouse.up();
    const turned = Number(await desk.field("Turn X").inputValue());
    expect(turned).not.toBe(0);
    expect(turned % 5).toBe(0);
    await desk.type("Slide Z", "64");
    await desk.type("Turn X", "35°");
    await desk.type("Turn Y", "20");
    await expect(desk.field("Turn X")).toHaveValue("35");
  });

  await test.step("35 about X and then 20 about Y: the same matrix dragged and typed", async () => {
    const typed = await desk.matrix(SUB);
    const slide = await desk.field("Slide Z").inputValue();
    await page.getByRole("button", { name: "Drop", exact: true }).click();
    await desk.type("Slide Z", slide);
    // Square enough to both arcs that neither is seen edge-on.
    await page.getByRole("button", { name: "Look from" }).click();
    await page.getByRole("menuitem", { name: "Three-quarter" }).click();
    for (const [axis, label, deg] of [
      [0, "Turn X", 35],
      [1, "Turn Y", 20],
    ] as const) {
      const id = { kind: "turn", axis };
      const from = await desk.bead(id);
      const to = [deg / 3, (deg * 2) / 3, deg].map((d) => desk.bead(id, d));
      const path = await Promise.all(to);
      await page.mouse.move(from.x, from.y);
      await page.mouse.down();
      for (const at of path) await page.mouse.move(at.x, at.y);
      await page.mouse.up();
      await expect(desk.field(label)).toHaveValue(String(deg));
    }
    expect(await desk.matrix(SUB)).toEqual(typed);
  });

  let pendingMatrix: number[] = [];
  await test.step("scrub away and back: the pose still waits; keep it with a lead and an ease", async () => {
    pendingMatrix = await desk.matrix(SUB);
    await desk.type("Sequence time", "1");
    expect(await desk.matrix(SUB)).not.toEqual(pendingMatrix);
    await expect(page.locator(".pending-bar")).toBeVisible();
    await page.getByRole("button", { name: "Go to it" }).click();
    expect(await desk.matrix(SUB)).toEqual(pendingMatrix);
    await desk.type("Lead", "0.9");
    await page.getByRole("button", { name: "Own", exact: true }).click();
    await desk.type("Getting going", "20");
    await desk.type("Coming to rest", "60");
    await page.getByRole("button", { name: "Keep pose" }).click();
    await expect(page.locator(".pending-bar")).toHaveCount(0);
    await expect(page.locator(".pin")).toHaveCount(1);
    expect(await desk.matrix(SUB)).toEqual(pendingMatrix);
    await expect(page.getByTestId("stillness")).toContainText("Still 0–1.5 s, deviation nil");
    await expect(page.getByTestId("stillness")).toContainText("Moves 1.5–2.4 s");
    await desk.type("Time in step", "1.5");
    const atLead = await desk.matrix(SUB);
    await desk.type("Time in step", "0");
    expect(await desk.matrix(SUB)).toEqual(atLead);
    await desk.type("Time in step", "1.6");
    expect(await desk.matrix(SUB)).not.toEqual(atLead);
  });

  await test.step("a lead that does not fit is shortened and said so", async () => {
    await desk.type("Time in step", "2.5");
    await desk.type("Slide X", "10");
    await desk.type("Lead", "9");
    await page.getByRole("button", { name: "Keep pose" }).click();
    await expect(page.getByText(/was shortened to 2 s/)).toBeVisible();
    await expect(page.locator(".pin.shortened")).toHaveCount(1);
    await desk.press("Control+z");
    await expect(page.locator(".pin")).toHaveCount(1);
    await desk.press("Control+Backspace");
  });

  await test.step("a free turn becomes an explicit orientation", async () => {
    await desk.type("Time in step", "2.4");
    await desk.part(SUB).click();
    const from = await desk.bead({ kind: "free" });
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await page.mouse.move(from.x - 12, from.y - 40, { steps: 5 });
    await page.mouse.up();
    await expect(page.getByText("Has a free orientation too.")).toBeVisible();
    expect(await desk.matrix(SUB)).not.toEqual(pendingMatrix);
    await page.getByRole("button", { name: "Drop", exact: true }).click();
    expect(await desk.matrix(SUB)).toEqual(pendingMatrix);
  });

  await test.step("turn the view and keep it; look around; through the camera again", async () => {
    await desk.type("Time in step", "2.6");
    const box = await page.getByTestId("stage-canvas").boundingBox();
    if (!box) throw new Error("no stage");
    await page.mouse.move(box.x + 40, box.y + 420);
    await page.mouse.down();
    await page.mouse.move(box.x + 120, box.y + 400, { steps: 4 });
    await page.mouse.up();
    await page.getByRole("button", { name: "Keep this view" }).click();
    await expect(page.locator(".lane-name", { hasText: "Main camera" })).toBeVisible();
    await expect(page.getByRole("button", { name: "Through the camera" })).toHaveAttribute("aria-pressed", "true");
    await desk.marksSettled();
    const pins = await page.locator(".pin").count();
    await page.mouse.move(box.x + 40, box.y + 420);
    await page.mouse.down();
    await page.mouse.move(box.x + 90, box.y + 440, { steps: 4 });
    await page.mouse.up();
    await expect(page.locator(".pin")).toHaveCount(pins);
    await page.getByRole("button", { name: "Through the camera" }).click();
  });

  await test.step("lengthening a still shifts the next step; reorder; undo and redo with labels", async () => {
    await page.locator(".card-main").first().click();
    await desk.type("Still after", "1.5");
    await page.locator(".card-main").nth(1).click();
    await expect(desk.field("Sequence time")).toHaveValue("4.000");
    await page.locator(".card-main").nth(1).press("Alt+ArrowUp");
    await expect(page.locator(".card-title").first()).toHaveText("Swing the bracket");
    await page.getByRole("button", { name: "Undo" }).hover();
    await expect(page.getByText(/Undo: Move step "Swing the bracket"/)).toBeVisible();
    await desk.press("Control+z");
    await expect(page.locator(".card-title").nth(1)).toHaveText("Swing the bracket");
    await desk.press("Control+Shift+z");
    await expect(page.locator(".card-title").first()).toHaveText("Swing the bracket");
    await desk.press("Control+z");
  });

  await test.step("play, pause, loop, step by frames; 30 to 25 fps with the choice of what stays", async () => {
    await desk.press("Home");
    await desk.press("Space");
    await expect(page.getByRole("button", { name: "Pause" })).toBeVisible();
    await expect.poll(async () => Number(await desk.field("Sequence time").inputValue())).toBeGreaterThan(0.3);
    await desk.press("Space");
    await desk.press("Home");
    await desk.press("ArrowRight");
    await expect(page.getByTestId("frame")).toContainText("frame 1 of");
    const lanes = await page.locator("canvas.lanes").boundingBox();
    if (!lanes) throw new Error("no timeline");
    await page.mouse.move(lanes.x + 100, lanes.y + 40);
    await page.mouse.down();
    await page.mouse.move(lanes.x + 300, lanes.y + 40, { steps: 4 });
    const scrubbed = Number(await desk.field("Sequence time").inputValue());
    await page.mouse.move(lanes.x + 200, lanes.y + 40, { steps: 4 });
    await page.mouse.up();
    expect(Number(await desk.field("Sequence time").inputValue())).toBeLessThan(scrubbed);
    await desk.atEnd("Begin again");
    await desk.press("End");
    await desk.press("ArrowLeft");
    await desk.press("Space");
    await expect.poll(async () => Number(await desk.field("Sequence time").inputValue())).toBeLessThan(2);
    await desk.press("Space");
    await desk.atEnd("Stop and hold");
    const before = await page.getByTestId("frame").innerText();
    await page.getByRole("button", { name: /30 fps/ }).click();
    await page
      .locator(".ant-select", { has: page.getByLabel("Frame rate") })
      .last()
      .click();
    await page.locator(".ant-select-item-option", { hasText: /^25 fps$/ }).click();
    await page.getByRole("radio", { name: "Frame numbers" }).check();
    await page.getByRole("button", { name: "Apply" }).click();
    await expect(page.getByRole("button", { name: /25 fps/ })).toBeVisible();
    const frames = (text: string) => /of (\d+)/.exec(text)?.[1];
    expect(frames(await page.getByTestId("frame").innerText())).toBe(frames(before));
    await desk.press("Control+z");
    await expect(page.getByRole("button", { name: /30 fps/ })).toBeVisible();
  });

  await test.step("reload: all is there", async () => {
    await desk.saved();
    await page.reload();
    await desk.ready();
    await expect(page.locator(".card-title").nth(1)).toHaveText("Swing the bracket");
    await expect(page.locator(".pin")).toHaveCount(2);
    await page.locator(".card-main").nth(1).click();
    await desk.type("Time in step", "2.4");
    expect(await desk.matrix(SUB)).toEqual(pendingMatrix);
  });
});

/** The video begins here, s. */
const FROM_S = 2;

test("publish: the video has the expected frames and shows what the stage shows", async ({ page }) => {
  await mkdir("var/e2e-publish", { recursive: true });
  const desk = new DeskPage(page);
  await visit(page);
  await page.getByRole("link", { name: "Bracket explainer", exact: true }).first().click();
  await desk.ready();
  const publish = () => page.getByRole("button", { name: "Publish", exact: true }).click();
  await publish();
  const dialog = page.getByRole("dialog");
  const set = async (label: string, value: string) => {
    await dialog.getByLabel(label, { exact: true }).fill(value);
    await dialog.getByLabel(label, { exact: true }).blur();
  };
  const choose = async (label: string, option: string | RegExp) => {
    await dialog.locator(".ant-select", { has: page.getByLabel(label, { exact: true }) }).click();
    await page.locator(".ant-select-item-option:visible", { hasText: option }).click();
  };
  /** What is made, once it is. */
  const made = async (name: string, to: string) => {
    await dialog.getByRole("button", { name }).click();
    await expect(dialog.getByTestId("publish-result")).toBeVisible({ timeout: 300_000 });
    const download = page.waitForEvent("download");
    await dialog.getByRole("link", { name: "Download", exact: true }).click();
    await (await download).saveAs(to);
  };
  const add = async (kind: string) => {
    await dialog.getByRole("button", { name: "Add an output" }).click();
    await page.getByRole("menuitem", { name: new RegExp(`^${kind}`) }).click();
  };
  // What is shown is drawn as it will be made.
  await expect(dialog.locator("[data-testid=publish-canvas][data-drawn]")).toBeVisible({ timeout: 60_000 });
  // As large as it is offered it takes long enough to be stopped.
  await dialog.getByRole("button", { name: "Make video" }).click();
  await expect(dialog.getByTestId("publish-progress")).toContainText(/frame [1-9]/);
  await dialog.getByRole("button", { name: "Stop", exact: true }).first().click();
  await expect(dialog.getByRole("button", { name: "Make video" })).toBeEnabled();
  await set("Width", "161");
  await set("Height", "90");
  await expect(dialog.getByText("Encoders need even sizes: 160 × 90 will be made.")).toBeVisible();
  await choose("Frame rate", /^25 fps$/);
  await choose("Quality", "Best");
  await choose("Captions", "not in the picture");
  // From well before the second step moves until it has arrived.
  await choose("Part", "from one time to another");
  await set("From time", String(FROM_S));
  await set("To time", "6.5");
  const expected = Number(/([\d,]+) frames/.exec(await dialog.getByTestId("output-plan").innerText())?.[1]);

  await dialog.getByRole("button", { name: "Make video" }).click();
  // The tab goes to the background half way: the work must go on.
  const other = await page.context().newPage();
  await other.goto("about:blank");
  await other.bringToFront();
  await expect(dialog.getByTestId("publish-result")).toBeVisible({ timeout: 300_000 });
  await other.close();
  await page.bringToFront();
  await expect(dialog.getByTestId("publish-result")).toContainText(`${expected} frames, each at its time`);
  const download = page.waitForEvent("download");
  await dialog.getByRole("link", { name: "Download", exact: true }).click();
  const file = "var/e2e-publish/out.mp4";
  await (await download).saveAs(file);
  const probe = await run("ffprobe", [
    "-v",
    "error",
    "-count_frames",
    "-select_streams",
    "v:0",
    "-show_entries",
    "stream=codec_name,nb_read_frames,width,height,r_frame_rate",
    "-of",
    "json",
    file,
  ]);
  const stream = JSON.parse(probe.stdout).streams[0];
  expect(stream.codec_name).toBe("h264");
  expect(Number(stream.nb_read_frames)).toBe(expected);
  expect([stream.width, stream.height, stream.r_frame_rate]).toEqual([160, 90, "25/1"]);

  await add("Captions");
  await made("Make captions", "var/e2e-publish/out.vtt");
  const captions = await readFile("var/e2e-publish/out.vtt", "utf8");
  expect(captions).toContain("WEBVTT");
  expect(captions).toContain("The bracket slides out and turns.");

  // A picture without anything behind the parts, and all frames as pictures.
  await add("Still");
  await set("Width", "160");
  await set("Height", "90");
  await dialog.getByRole("switch", { name: "Clear background" }).click();
  await made("Make still", "var/e2e-publish/still.png");
  const clear = (
    await run("ffmpeg", ["-v", "error", "-i", "var/e2e-publish/still.png", "-f", "rawvideo", "-pix_fmt", "rgba", "-"], {
      encoding: "buffer",
    })
  ).stdout as unknown as Buffer;
  expect(clear.length).toBe(160 * 90 * 4);
  const alphas = Array.from({ length: 160 * 90 }, (_, i) => nth(clear, 4 * i + 3));
  expect(alphas[0]).toBe(0);
  expect(alphas.filter((v) => v === 255).length).toBeGreaterThan(200);
  await add("Numbered frames");
  await set("Width", "64");
  await set("Height", "36");
  await choose("Part", "from one time to another");
  await set("To time", "0.5");
  await expect(dialog.getByTestId("output-plan")).toContainText("15 frames");
  await made("Make numbered frames", "var/e2e-publish/frames.zip");
  const entries = unzipSync(new Uint8Array(await readFile("var/e2e-publish/frames.zip")));
  expect(Object.keys(entries)).toEqual(Array.from({ length: 15 }, (_, i) => `${String(i + 1).padStart(4, "0")}.png`));
  expect(entries["0001.png"]?.subarray(1, 4)).toEqual(new Uint8Array([0x50, 0x4e, 0x47]));

  // Several at once: those that are marked, and no other.
  const urls = () =>
    page.evaluate(() => {
      const { making } = (
        window as unknown as { plextanDesk: { state: { making: Record<string, { state: string; url?: string }> } } }
      ).plextanDesk.state;
      return Object.values(making).map((m) => (m.state === "done" ? (m.url ?? "") : ""));
    });
  const before = await urls();
  await dialog.getByRole("option", { name: /^Captions/ }).click();
  await dialog.getByRole("option", { name: /^Still/ }).click({ modifiers: ["Control"] });
  await dialog.getByRole("button", { name: "Make the 2 marked" }).click();
  await expect
    .poll(async () => {
      const now = await urls();
      return now.includes("") ? -1 : now.filter((u) => !before.includes(u)).length;
    })
    .toBe(2);
  await page.keyboard.press("Escape");

  // Five frames against the stage drawn at the same times; step 2 starts at 4 s, moves from 5.5 to 6.4 s.
  const frames = [60, 90, 145, 152, 159];
  const rgb = async (args: string[]) =>
    (
      await run("ffmpeg", ["-v", "error", ...args, "-f", "rawvideo", "-pix_fmt", "rgb24", "-"], {
        encoding: "buffer",
        maxBuffer: 1 << 26,
      })
    ).stdout as unknown as Buffer;
  const difference = (a: Buffer, b: Buffer) => {
    let sum = 0;
    for (let i = 0; i < a.length; i++) sum += Math.abs(nth(a, i) - nth(b, i));
    return sum / a.length;
  };
  const video: Buffer[] = [];
  // Smoothed as the video is: a machine without a graphics card draws the desk without.
  await page.getByRole("button", { name: "Helps at the desk" }).click();
  await page.getByRole("menuitem", { name: "Smooth edges while working" }).click();
  await page.keyboard.press("Escape");
  await desk.ready();
  for (const f of frames) {
    const shown = await rgb(["-i", file, "-vf", `select=eq(n\\,${f - 25 * FROM_S})`, "-vsync", "0", "-frames:v", "1"]);
    const png = await page.evaluate(
      async (ticks) => {
        const desk = (
          window as unknown as {
            plextanDesk: {
              seek(t: number): void;
              select(n: number[]): void;
              view: { still(w: number, h: number): Promise<Blob> };
            };
          }
        ).plextanDesk;
        desk.select([]);
        desk.seek(ticks);
        const bytes = new Uint8Array(await (await desk.view.still(160, 90)).arrayBuffer());
        return Array.from(bytes);
      },
      (f / 25) * 705_600_000,
    );
    await writeFile("var/e2e-publish/stage.png", Buffer.from(png));
    const still = await rgb(["-i", "var/e2e-publish/stage.png"]);
    expect(shown.length).toBe(still.length);
    // Compression at this small size costs a few levels; a frame too early or too late would cost far more.
    expect(difference(shown, still)).toBeLessThan(7);
    // Where it moves fast enough to be told through the compression: at 159 it has all but arrived.
    if (f >= 145 && f < 159) {
      for (const beside of [f - 1, f + 1]) {
        const neighbour = await rgb([
          "-i",
          file,
          "-vf",
          `select=eq(n\\,${beside - 25 * FROM_S})`,
          "-vsync",
          "0",
          "-frames:v",
          "1",
        ]);
        expect(difference(neighbour, still)).toBeGreaterThan(difference(shown, still));
      }
    }
    video.push(shown);
  }
  // Held frames are equal, moving ones are not.
  expect(difference(video[0] as Buffer, video[1] as Buffer)).toBeLessThan(0.05);
  expect(difference(video[2] as Buffer, video[3] as Buffer)).toBeGreaterThan(1.2);
  expect(difference(video[3] as Buffer, video[4] as Buffer)).toBeGreaterThan(1.2);

  // One cycle of four seconds, chosen as what is played, is published without the frame that would show twice.
  await page.getByRole("button", { name: "How it plays" }).click();
  await desk.type("Play from", "1");
  await desk.type("Play to", "5");
  await page.keyboard.press("Escape");
  await publish();
  await add("Video");
  await set("Width", "96");
  await set("Height", "54");
  await choose("Frame rate", /^25 fps$/);
  await choose("Format", "WebM (VP9)");
  await expect(dialog.getByText("100 frames")).toBeVisible();
  await made("Make video", "var/e2e-publish/cycle.webm");
  const cycle = await run("ffprobe", [
    "-v",
    "error",
    "-count_frames",
    "-select_streams",
    "v:0",
    "-show_entries",
    "stream=codec_name,nb_read_frames",
    "-of",
    "csv=p=0",
    "var/e2e-publish/cycle.webm",
  ]);
  expect(cycle.stdout.trim()).toBe("vp9,100");

  // All of them are kept, with the sequence.
  await page.keyboard.press("Escape");
  await desk.saved();
  await page.reload();
  await desk.ready();
  await publish();
  await expect(dialog.getByRole("option")).toHaveCount(5);
  await page.keyboard.press("Escape");
  await rm("var/e2e-publish", { recursive: true, force: true });
});

test("the project as one file, and open again: identical", async ({ page }) => {
  const desk = new DeskPage(page);
  await visit(page);
  await page.getByRole("link", { name: "Bracket explainer", exact: true }).first().click();
  await desk.ready();
  const saveFile = async () => {
    const download = page.waitForEvent("download");
    await page.getByRole("button", { name: "Download project file" }).click();
    return readFile((await (await download).path()) as string);
  };
  const first = await saveFile();
  await writeFile("var/round.plextan.zip", first);
  await visit(page);
  await page.getByLabel("Project file").setInputFiles("var/round.plextan.zip");
  await desk.ready();
  await expect(page.locator(".card-title").nth(1)).toHaveText("Swing the bracket");
  const second = await saveFile();
  expect(second.equals(first)).toBe(true);
  await rm("var/round.plextan.zip");
});

test("a browser without an encoder says what to do instead", async ({ page }) => {
  await page.addInitScript(() => {
    Reflect.deleteProperty(window, "VideoEncoder");
  });
  const desk = new DeskPage(page);
  await desk.openDemo();
  await page.getByRole("button", { name: "Publish", exact: true }).click();
  await expect(page.getByText(/cannot encode MP4 \(H.264\) of this size here/)).toBeVisible();
  await expect(page.getByRole("button", { name: "Make video" })).toBeDisabled();
});
