import type { PickRequest } from "../../stage/stagePort";
import type { Desk } from "../port";

/** Asks for a feature on the stage; `what` says in words what it is for. */
export function pick(desk: Desk, what: string, request: PickRequest): void {
  const stage = desk.view;
  if (!stage) return;
  desk.set({ picking: what, feature: null });
  stage.input.beginPick({
    ...request,
    onDone: (picked) => {
      desk.set({ picking: null, feature: null });
      request.onDone(picked);
    },
  });
}

export function endPick(desk: Desk): void {
  desk.view?.input.endPick(null);
  desk.set({ picking: null, feature: null });
}
