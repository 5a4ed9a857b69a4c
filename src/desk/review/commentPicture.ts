import { type Comment, PICTURE_MAX_BYTES } from "../../core/review/said";
import { drawLines, drawPin } from "./lines";
import type { ReviewStage } from "./reviewStage";

type Pictured = Pick<Comment, "step" | "from" | "seen" | "pin" | "strokes">;

/** Pictures are at most so wide, CSS pixels. */
const WIDEST = 960;

/**
 * Draws the frame that somebody speaks of, as they see it, with their pin and lines; where the stage stood it stands
 * again afterwards.
 * @returns null where the browser gives no canvas
 */
function frameOf({ player, film, startOf }: ReviewStage, comment: Pictured): HTMLCanvasElement | null {
  const { ticks, looking } = player;
  const view = player.seenFrom();
  player.pause();
  if (comment.seen) player.lookFrom(comment.seen);
  else player.backToCamera();
  player.seek(startOf(comment.step) + comment.from);
  // Drawn and copied in one go: what is on the canvas is gone with the next task.
  player.draw();
  const { clientWidth, clientHeight } = player.canvas;
  const share = Math.min(2, WIDEST / Math.max(1, clientWidth));
  const canvas = document.createElement("canvas");
  canvas.width = Math.round(clientWidth * share);
  canvas.height = Math.round(clientHeight * share);
  const c = canvas.getContext("2d");
  if (c) {
    c.scale(share, share);
    c.drawImage(player.canvas, 0, 0, clientWidth, clientHeight);
    drawLines(c, player.pictureFrame(), comment.strokes);
    const node = comment.pin ? film.program.index.indexOf.get(comment.pin.node) : undefined;
    if (comment.pin && node !== undefined) {
      const { x, y, seen } = player.placeOf(node, comment.pin.point);
      drawPin(c, x, y, seen);
    }
  }
  player.seek(ticks);
  if (looking) player.lookFrom(view);
  else player.backToCamera();
  return c ? canvas : null;
}

/** The picture of a comment that has none with it: a round never changes, so neither does this. @returns its address */
export function commentPicture(stage: ReviewStage, comment: Pictured): string {
  return frameOf(stage, comment)?.toDataURL("image/jpeg", 0.86) ?? "";
}

/** The picture that is kept with a comment which is being made; null when it cannot be made. */
export function pictureToKeep(stage: ReviewStage, comment: Pictured): Promise<Blob | null> {
  const canvas = frameOf(stage, comment);
  return new Promise((done) => {
    if (!canvas) done(null);
    else canvas.toBlob((b) => done(b && b.size <= PICTURE_MAX_BYTES ? b : null), "image/jpeg", 0.8);
  });
}
