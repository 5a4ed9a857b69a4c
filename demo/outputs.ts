import type { Sequence } from "../src/core/document/sequence";
import { outputKindOf } from "../src/core/outputs/kinds";
import type { Program } from "../src/core/program/program";

const VIDEO = { captions: "panel", quality: 0.12 } as const;

/** What is made of the first sequence: ready to be made, and again after a revision. */
export function demoOutputs(sequence: Sequence): NonNullable<Sequence["outputs"]> {
  const out: NonNullable<Sequence["outputs"]> = {};
  const put = (
    id: string,
    name: string,
    kind: string,
    settings: Record<string, string | number | boolean>,
    step?: number,
  ) => {
    const usual = outputKindOf(kind)?.defaults({ sequence } as Program);
    const first = step === undefined ? undefined : sequence.stepOrder[step];
    const range = first === undefined ? { of: "all" as const } : { of: "steps" as const, first, last: first };
    out[id] = { id, name, kind, range, settings: { ...usual, ...settings } };
  };
  put("explainer", "Explainer", "video", VIDEO);
  put(
    "web",
    "Lid, for the web page",
    "video",
    { ...VIDEO, format: "webm-vp9", width: 640, height: 360, captions: "outline" },
    1,
  );
  put("cover", "Cover of the manual", "still", {
    width: 1920,
    height: 1080,
    fineness: 2,
    clear: true,
    captions: "none",
    at: 1,
  });
  put("page", "Page for the workshop", "page", {});
  put("sheets", "Sheets for the workshop", "sheets", { style: "lines", perPage: 6, revision: "A", notes: true });
  put("mail", "Lid, for a mail", "loop", { captions: "none" }, 1);
  put("scene", "For the 3D viewer", "scene", {});
  put("words", "Captions", "captions", { format: "vtt" });
  return out;
}
