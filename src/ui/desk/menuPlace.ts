import type { Desk } from "../../desk/port";

/** Opens the menu of the selection beside its row in the tree, or on the stage. */
export function openMenu(desk: Desk): void {
  const row = document.querySelector(".part-row.selected") ?? desk.view?.canvas;
  const r = row?.getBoundingClientRect();
  if (r) desk.set({ menu: { x: r.left + Math.min(80, r.width / 2), y: r.top + Math.min(18, r.height / 2) } });
}
