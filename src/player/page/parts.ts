import type { AssemblyIndex } from "../../core/assembly/assembly";
import { nth } from "../../core/math/packed";
import type { Player } from "../player";
import { make } from "./dom";

/** The tree of parts with a box each to show or hide it; a sub-assembly takes all that is in it along. */
export function partsList(player: Player, index: AssemblyIndex): HTMLElement[] {
  const boxes = new Map<number, HTMLInputElement>();
  const fresh = () => {
    for (const [node, box] of boxes) box.checked = player.isShown(node);
  };
  const line = (node: number): HTMLElement => {
    const name = index.assembly.nodes[node]?.name ?? "";
    const box = make("input", { type: "checkbox" });
    box.checked = player.isShown(node);
    boxes.set(node, box);
    box.onchange = () => {
      player.setShown(node, box.checked);
      fresh();
    };
    const inside = childrenOf(index, node);
    if (inside.length === 0) return make("li", {}, make("label", {}, box, name));
    box.setAttribute("aria-label", `Show ${name}`);
    return make(
      "li",
      { class: "row" },
      box,
      make("details", {}, make("summary", {}, name), make("ul", {}, ...inside.map(line))),
    );
  };
  const all = make("button", { type: "button" }, "Show all");
  all.onclick = () => {
    player.showAll();
    fresh();
  };
  const roots = index.roots.flatMap((r) => (childrenOf(index, r).length > 0 ? childrenOf(index, r) : [r]));
  return [make("h2", {}, "Parts"), make("ul", {}, ...roots.map(line)), all];
}

/** What lies directly in a node. */
function childrenOf(index: AssemblyIndex, node: number): number[] {
  const out: number[] = [];
  for (let i = node + 1; i < nth(index.end, node); i = nth(index.end, i)) out.push(i);
  return out;
}
