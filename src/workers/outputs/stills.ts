import { Zip, ZipPassThrough } from "fflate";
import { rateOf } from "../../core/outputs/video";
import { frameCount, frameToTicks, TICKS_PER_SECOND } from "../../core/time/time";
import { frameMaker, goOn, type MakeContext, type Maker } from "./maker";

type Image = Parameters<typeof frameMaker>[0] & { image: "png" | "jpeg"; quality: number; clear: boolean };

const encode = (canvas: OffscreenCanvas, s: Image): Promise<Blob> =>
  canvas.convertToBlob({ type: s.image === "png" ? "image/png" : "image/jpeg", quality: s.quality });
const isClear = (s: Image) => s.clear && s.image === "png";

/** One picture at a moment after the part's beginning. */
export const makeStill: Maker<Image & { at: number }> = async (s, c) => {
  const { maker, canvas } = frameMaker(s, c, s, { clear: isClear(s) });
  try {
    maker.draw(Math.min(c.range.to - 1, c.range.from + Math.round(s.at * TICKS_PER_SECOND)));
    const blob = await encode(canvas, s);
    c.sink.write(0, new Uint8Array(await blob.arrayBuffer()));
    return { type: blob.type, check: (file) => checkImage(file, s) };
  } finally {
    maker.dispose();
  }
};

/** Every frame as a picture of its own, numbered from 1, in a zip that is written as they are made. */
export const makeFrames: Maker<Image & { rateNum: number; rateDen: number }> = async (s, c) => {
  const rate = rateOf(s);
  const frames = frameCount(c.range.to - c.range.from, rate);
  const { maker, canvas } = frameMaker(s, c, s, { clear: isClear(s) });
  const zip = zipInto(c);
  try {
    const digits = Math.max(4, String(frames).length);
    let bytes = new Uint8Array(0);
    for (let f = 0; f < frames; f++) {
      goOn(c.signal);
      if (maker.draw(c.range.from + frameToTicks(f, rate)))
        bytes = new Uint8Array(await (await encode(canvas, s)).arrayBuffer());
      zip.add(`${String(f + 1).padStart(digits, "0")}${s.image === "png" ? ".png" : ".jpg"}`, bytes);
      c.tell((f + 1) / frames, `frame ${f + 1} of ${frames}`);
    }
    zip.end();
    return {
      type: "application/zip",
      check: async () => [`${frames.toLocaleString("en")} ${frames === 1 ? "picture" : "pictures"}`],
    };
  } finally {
    maker.dispose();
  }
};

/** Pictures are packed already, so that they are put in as they are. */
function zipInto(c: MakeContext): { add(name: string, bytes: Uint8Array): void; end(): void } {
  let at = 0;
  let failed: Error | null = null;
  const zip = new Zip((error, data) => {
    if (error) failed = error;
    else {
      c.sink.write(at, data);
      at += data.byteLength;
    }
  });
  return {
    add(name, bytes) {
      const entry = new ZipPassThrough(name);
      zip.add(entry);
      entry.push(bytes.slice(), true);
      if (failed) throw failed;
    },
    end() {
      zip.end();
      if (failed) throw failed;
    },
  };
}

async function checkImage(file: Blob, s: { width: number; height: number }): Promise<string[]> {
  const image = await createImageBitmap(file);
  const [width, height] = [image.width, image.height];
  image.close();
  return width === s.width && height === s.height ? [`${width} × ${height} pixels`] : [];
}
