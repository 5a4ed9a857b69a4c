import type { Comment } from "../../core/review/said";
import { drawLines, drawPin } from "./lines";
import type { ReviewStage } from "./reviewStage";

/**
 * The picture that somebody spoke of: the round's frame as they saw it, with their pin and lines. A round never changes,
 * so neither does this.
 * @param size of the stage's canvas, CSS pixels @returns an address of the picture's data
 */
export function commentPicture(
  stage: ReviewStage,
  comment: Comment,
  label: string,
  size: { width: number; height: number },
): string {
  const { player, film } = stage;
  player.pause();
  if (comment.seen) player.lookFrom(comment.seen);
  else player.backToCamera();
  player.seek(stage.startOf(comment.step) + comment.from);
  // Drawn and copied in one go: what is on the canvas is gone with the next task.
  player.draw();
  const canvas = document.createElement("canvas");
  canvas.width = size.width * 2;
  canvas.height = size.height * 2;
  const c = canvas.getContext("2d");
  if (!c) return "";
  c.scale(2, 2);
  c.drawImage(player.canvas, 0, 0, size.width, size.height);
  drawLines(c, player.pictureFrame(), comment.strokes);
  const node = comment.pin ? film.program.index.indexOf.get(comment.pin.node) : undefined;
  if (comment.pin && node !== undefined) {
    const { x, y, seen } = player.placeOf(node, comment.pin.point);
    drawPin(c, x, y, label, seen);
  }
  return canvas.toDataURL("image/jpeg", 0.86);
}
