import type { Desk } from "../port";
import { select, selectGroup } from "../selection/selecting";

declare global {
  interface Window {
    /** The open desk, for the browser's console and for the browser tests. */
    plextanDesk?: Desk & { select(nodes: readonly number[]): void; selectGroup(id: string): void };
  }
}

/** Lets the browser's console look at the open desk and select in it. */
export function showOnConsole(desk: Desk): void {
  const own = {
    select: (nodes: readonly number[]) => select(desk, nodes),
    selectGroup: (id: string) => selectGroup(desk, id),
  };
  window.plextanDesk = Object.assign(Object.create(desk) as Desk, own);
}
