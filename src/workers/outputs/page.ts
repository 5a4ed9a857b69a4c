import { applyLook, lookNow } from "../../core/edit/preparationCommands";
import type { PageSettings } from "../../core/outputs/page";
import { pictureDefaults } from "../../core/outputs/picture";
import { stepRange } from "../../core/outputs/range";
import { Refusal } from "../../core/text/refusal";
import { formatSecondsShort } from "../../core/time/time";
import { type PageStep, pageHtml } from "../../formats/out/page/html";
import { type PageFilm, published } from "../../player/page/film";
import { STYLE } from "../../player/page/style";
import { frameMaker, goOn, type MakeContext, type Maker } from "./maker";

/** How finely the pictures of steps are written, 0 to 1. */
const FINE = 0.85;

/** One page with everything in it: model, player, words, sounds, and a picture of each step. */
export const makePage: Maker<PageSettings> = async (s, c) => {
  const { program, range, pkg } = c;
  const preparation = structuredClone(c.preparation);
  if (s.look !== "") applyLook(s.look)(preparation);
  const steps = await pictures(s, c);
  const sequence = published(program.sequence, s.sound);
  const film: PageFilm = {
    ...{ assembly: pkg.assembly, preparation, sequence, look: lookNow(preparation), range, parts: s.parts },
  };
  const assets = new Set(Object.values(sequence.sounds ?? {}).map((v) => v.asset));
  const sounds = await Promise.all(
    [...assets].map(async (asset) => {
      const bytes = await c.fileOf(`sound ${asset}`);
      if (!bytes) throw new Refusal("sound-gone", { names: [...assets].map((a) => a.slice(0, 8)) });
      return { asset, bytes };
    }),
  );
  c.tell(0.95, "putting it together");
  const [code, model] = await Promise.all([c.fileOf("player"), c.fileOf("model")]);
  if (!code || !model) throw new Refusal("player-missing");
  const html = await pageHtml({
    ...{ title: sequence.name, steps, style: STYLE, film, sounds, code: new TextDecoder().decode(code) },
    about: `${steps.length} ${steps.length === 1 ? "step" : "steps"}, ${formatSecondsShort(range.to - range.from)} s`,
    font: await c.fileOf("font"),
    model,
  });
  c.sink.write(0, new TextEncoder().encode(html));
  const said = [`${steps.length} steps`, ...(assets.size > 0 ? [`${assets.size} recordings`] : [])];
  return { type: "text/html", check: async () => said };
};

/** What each step of the part comes to, in words and one picture. */
async function pictures(s: PageSettings, c: MakeContext): Promise<PageStep[]> {
  const { program, range } = c;
  const { width, height } = program.sequence.picture;
  const size = { width: s.width, height: Math.max(16, Math.round((s.width * height) / width)) };
  const usual = { ...pictureDefaults(program), ...size, captions: "none" as const, look: s.look, titles: 0 };
  const { maker, canvas } = frameMaker(usual, c, size);
  const out: PageStep[] = [];
  try {
    const inside = program.steps.ids.filter((id) => {
      const own = stepRange({ of: "steps", first: id, last: id }, program);
      return own !== null && own.to > range.from && own.from < range.to;
    });
    for (const [i, id] of inside.entries()) {
      goOn(c.signal);
      const at = program.steps.position.get(id) ?? 0;
      // The end of the action, a moment before what shows only in it is gone.
      maker.draw(Math.max(program.steps.action[at] ?? 0, (program.steps.still[at] ?? 0) - 1));
      const blob = await canvas.convertToBlob({ type: "image/jpeg", quality: FINE });
      const step = program.sequence.steps[id];
      out.push({
        ...{ title: step?.title || `Step ${i + 1}`, caption: step?.caption.trim() ?? "" },
        picture: new Uint8Array(await blob.arrayBuffer()),
      });
      c.tell((0.9 * (i + 1)) / inside.length, `step ${i + 1} of ${inside.length}`);
    }
    return out;
  } finally {
    maker.dispose();
  }
}
