import type { AssemblyIndex } from "../assembly/assembly";
import type { Preparation } from "../document/preparation";
import type { Sequence, Target } from "../document/sequence";

interface Named {
  index: AssemblyIndex;
  preparation: Preparation;
  sequence: Sequence;
}

/** The name of a node: as it is prepared, or from CAD. "" for none. */
export function nodeName({ index, preparation }: Pick<Named, "index" | "preparation">, node: number): string {
  const entry = index.assembly.nodes[node];
  return entry ? (preparation.nodes[entry.key]?.name ?? entry.name) : "";
}

/** The name of whatever can be moved; also of what is gone. */
export function targetNameIn(named: Named, target: Target): string {
  const { index, preparation, sequence } = named;
  if (target.type === "camera") return sequence.cameras[target.id]?.name ?? "Camera";
  if (target.type === "look") return "Look";
  if (target.type === "picture") return "Live camera";
  if (target.type === "group") return preparation.groups[target.id]?.name ?? "A group that is gone";
  const node = index.indexOf.get(target.key);
  return node === undefined
    ? (preparation.nodes[target.key]?.name ?? target.key.split("/").pop() ?? target.key)
    : nodeName(named, node);
}
