import { published } from "../../core/document/published";
import { applyLook, lookNow } from "../../core/edit/preparationCommands";
import { lightsBytes } from "../../core/light/keptLight";
import type { PageSettings } from "../../core/outputs/page";
import { pictureDefaults } from "../../core/outputs/picture";
import { stepRange } from "../../core/outputs/range";
import { lightsWorn } from "../../core/program/timedLook";
import { softer } from "../../core/sound/headroom";
import { MIX_RATE, Mixer } from "../../core/sound/mix";
import { placedSounds } from "../../core/sound/schedule";
import { Refusal } from "../../core/text/refusal";
import { formatSecondsShort, TICKS_PER_SECOND } from "../../core/time/time";
import { type PageStep, pageHtml } from "../../formats/out/page/html";
import type { PageFilm } from "../../player/page/film";
import { STYLE } from "../../player/page/style";
import { frameMaker, goOn, type LookContext, type Looker, type MakeContext, type Maker } from "./maker";
import { toldLower } from "./sound";

/** How finely the pictures of steps are written, 0 to 1. */
const FINE = 0.85;

/** One page with everything in it: model, player, words, sounds, and a picture of each step. */
export const makePage: Maker<PageSettings> = async (s, c) => {
  const steps = await pictures(s, c);
  c.tell(0.95, "putting it together");
  const gain = s.sound ? gainOf(c) : 1;
  const { html, sounds } = await pageOf(s, c, steps, gain);
  c.sink.write(0, new TextEncoder().encode(html));
  const said = [`${steps.length} steps`, ...(sounds > 0 ? [`${sounds} recordings`] : []), ...toldLower(gain)];
  return { type: "text/html", check: async () => said };
};

/** What the sounds of a page are lowered by so that they do not clip. */
function gainOf({ program, pcmOf }: MakeContext): number {
  const mixer = new Mixer(placedSounds(program.sequence, program.steps), pcmOf);
  return 1 / Math.max(1, mixer.peak(0, Math.ceil((program.steps.length * MIX_RATE) / TICKS_PER_SECOND)));
}

/** The page as it will be, but for the pictures that stand in for the model. */
export const lookAtPage: Looker<PageSettings> = async (s, c) => {
  const steps = stepsInside(c).map((id, i) => ({ ...wordsOf(c, id, i), picture: null }));
  return (await pageOf(s, c, steps)).html;
};

async function pageOf(
  s: PageSettings,
  c: LookContext,
  steps: readonly PageStep[],
  gain = 1,
): Promise<{ html: string; sounds: number }> {
  const { program, range, pkg } = c;
  const preparation = structuredClone(c.preparation);
  if (s.look !== "") applyLook(s.look)(preparation);
  const sequence = published(program.sequence, s.sound);
  // The page only plays: that nothing clips is seen to here.
  if (sequence.sounds && gain < 1) sequence.sounds = softer(sequence.sounds, gain);
  const look = lookNow(preparation);
  const lights = lightsWorn(program, look);
  const film: PageFilm = {
    ...{ assembly: pkg.assembly, preparation, sequence, look, lights, range, parts: s.parts },
  };
  const assets = new Set(Object.values(sequence.sounds ?? {}).map((v) => v.asset));
  const sounds = await Promise.all(
    [...assets].map(async (asset) => {
      const bytes = await c.fileOf(`sound ${asset}`);
      if (!bytes) throw new Refusal("sound-gone", { names: [...assets].map((a) => a.slice(0, 8)) });
      return { asset, bytes };
    }),
  );
  const [code, model] = await Promise.all([c.fileOf("player"), c.fileOf("model")]);
  if (!code || !model) throw new Refusal("player-missing");
  const html = await pageHtml({
    ...{ title: sequence.name, steps, style: STYLE, film, sounds, code: new TextDecoder().decode(code) },
    about: `${steps.length} ${steps.length === 1 ? "step" : "steps"}, ${formatSecondsShort(range.to - range.from)} s`,
    font: await c.fileOf("font"),
    model,
    light: lightsBytes(lights),
  });
  return { html, sounds: assets.size };
}

/** Steps of which the part has any. */
function stepsInside({ program, range }: Pick<MakeContext, "program" | "range">): string[] {
  return program.steps.ids.filter((id) => {
    const own = stepRange({ of: "steps", first: id, last: id }, program);
    return own !== null && own.to > range.from && own.from < range.to;
  });
}

function wordsOf({ program }: Pick<MakeContext, "program">, id: string, i: number): { title: string; caption: string } {
  const step = program.sequence.steps[id];
  return { title: step?.title || `Step ${i + 1}`, caption: step?.caption.trim() ?? "" };
}

/** What each step of the part comes to, in words and one picture. */
async function pictures(s: PageSettings, c: MakeContext): Promise<PageStep[]> {
  const { program } = c;
  const { width, height } = program.sequence.picture;
  const size = { width: s.width, height: Math.max(16, Math.round((s.width * height) / width)) };
  const usual = { ...pictureDefaults(program), ...size, captions: "none" as const, look: s.look, titles: 0 };
  const { maker, canvas } = frameMaker(usual, c, size);
  const out: PageStep[] = [];
  try {
    const inside = stepsInside(c);
    for (const [i, id] of inside.entries()) {
      goOn(c.signal);
      const at = program.steps.position.get(id) ?? 0;
      // The end of the action, a moment before what shows only in it is gone.
      maker.draw(Math.max(program.steps.action[at] ?? 0, (program.steps.still[at] ?? 0) - 1));
      const blob = await canvas.convertToBlob({ type: "image/jpeg", quality: FINE });
      out.push({ ...wordsOf(c, id, i), picture: new Uint8Array(await blob.arrayBuffer()) });
      c.tell((0.9 * (i + 1)) / inside.length, `step ${i + 1} of ${inside.length}`);
    }
    return out;
  } finally {
    maker.dispose();
  }
}
