import { inBrowser } from "./browser";
import type { Measurement } from "./measurement";

interface Result {
  parts: number;
  script: { ours: number; bare: number };
  frame: { ours: number; bare: number };
  clear: { ours: number; bare: number };
}

/** The desk's stage playing 2,000 moving parts against a bare three.js loop; see bench/stage.page.ts. */
export async function measureStage(): Promise<Measurement[]> {
  const r = await inBrowser<Result>("bench/stage.page.ts");
  const row = (name: string, v: { ours: number; bare: number }, note: string): Measurement => ({
    name,
    ours: v.ours,
    reference: v.bare,
    ratio: v.ours / v.bare,
    unit: "ms a frame",
    note,
  });
  return [
    row("stage-script", r.script, `${r.parts} moving parts, 160 x 90 pixels`),
    row("stage-frame", r.frame, "the same, until the picture is drawn"),
    row("stage-clear", r.clear, "script with all of them seen through, against the stage with all of them solid"),
  ];
}
