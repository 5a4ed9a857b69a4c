import { canEncodeVideo } from "mediabunny";
import { useEffect, useState } from "react";
import { evenSize, VIDEO_FORMATS } from "../../core/outputs/video";
import type { Planned } from "../../desk/acts/outputs";

type Format = (typeof VIDEO_FORMATS)[keyof typeof VIDEO_FORMATS];

/** What keeps this browser from encoding a video, with what works instead; null where nothing does, or for no video. */
export function useEncoder({ kind, settings }: Planned): string | null {
  const [problem, setProblem] = useState<string | null>(null);
  const format = kind.id === "video" ? VIDEO_FORMATS[settings.format as keyof typeof VIDEO_FORMATS] : undefined;
  const { width, height } = evenSize({ width: Number(settings.width), height: Number(settings.height) });
  useEffect(() => {
    setProblem(null);
    if (!format) return;
    let live = true;
    void problemWith(format, width, height).then((p) => live && setProblem(p));
    return () => {
      live = false;
    };
  }, [format, width, height]);
  return problem;
}

async function problemWith(format: Format, width: number, height: number): Promise<string | null> {
  const can = (f: Format) =>
    typeof VideoEncoder === "undefined"
      ? Promise.resolve(false)
      : canEncodeVideo(f.codec, { width, height }).catch(() => false);
  if (await can(format)) return null;
  const others: string[] = [];
  for (const f of Object.values(VIDEO_FORMATS)) if (f !== format && (await can(f))) others.push(f.label);
  return `This browser cannot encode ${format.label} of this size here. ${
    others.length > 0
      ? `It can make ${others.join(" and ")}; a smaller size may also help.`
      : "Open Plextan over https or at its 127.0.0.1 address in a current Chromium-based browser or Safari; numbered frames can be made here."
  }`;
}
