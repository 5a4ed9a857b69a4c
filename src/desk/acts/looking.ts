import type { CameraValues } from "../../core/document/sequence";
import type { Desk } from "../port";

/** Looks through the camera, or freely. */
export function setThrough(desk: Desk, through: boolean): void {
  desk.view?.cameras.setThrough(through);
  desk.set({ through });
}

/** The camera that the picture is seen through at the playhead. */
export function liveCamera(desk: Desk): string {
  const { cameras, camera } = desk.sequence;
  if (desk.program.live < 0) return camera;
  return Object.keys(cameras)[Math.round(desk.valueOf({ type: "picture" }, "live"))] ?? camera;
}

/** Changes values of the free view, leaving the camera first. */
export function setView(desk: Desk, values: Partial<CameraValues>): void {
  const view = desk.view?.cameras.leaveCamera();
  if (!view) return;
  Object.assign(view, values);
  desk.view?.invalidate();
  desk.set({ viewVersion: desk.state.viewVersion + 1 });
}

/** The free view, for the read-out in the details. */
export function freeView(desk: Desk): CameraValues | null {
  return desk.view && !desk.state.through ? desk.view.control.view : null;
}
