import type { AssemblyIndex } from "../assembly/assembly";
import { copyKey, originalKey } from "../assembly/prepared";
import type { Look, LookNode } from "../document/looks";
import type { PartTarget } from "../document/parts";
import type { Group, Joint, Link, NamedPose, NodePreparation, Pivot, Preparation } from "../document/preparation";
import type { Finish, Surroundings } from "../document/surroundings";
import { linkFault } from "../kinematics/graph";
import { nth } from "../math/packed";
import { Refusal } from "../text/refusal";
import type { LengthUnit } from "../units/units";

/** A command changes a draft of a preparation in place. The caller gives it to Immer, which records the patches. */
export type PreparationCommand = (draft: Preparation) => void;

/** Changes what is prepared for a node; entries left without anything are removed. */
function changeNode(draft: Preparation, key: string, change: (node: NodePreparation) => void): void {
  const node = { ...draft.nodes[key] };
  change(node);
  if (Object.keys(node).length === 0) delete draft.nodes[key];
  else draft.nodes[key] = node;
}

/** Gives a node a name of its own; "" or the CAD name takes it back. */
export function renameNode(key: string, name: string, cadName: string): PreparationCommand {
  return (draft) => {
    const clean = name.trim();
    if (clean.length > 200) throw new Refusal("name-too-long", { length: clean.length, most: 200 });
    changeNode(draft, key, (node) => {
      if (clean === "" || clean === cadName) delete node.name;
      else node.name = clean;
    });
  };
}

type Flag = "hidden" | "locked" | "ghost";

/** Hides, locks or ghosts nodes, or takes that back. */
export function setFlag(keys: readonly string[], flag: Flag, on: boolean): PreparationCommand {
  return (draft) => {
    for (const key of keys) {
      changeNode(draft, key, (node) => {
        if (on) node[flag] = true;
        else delete node[flag];
      });
    }
  };
}

/** Hides everything but some nodes, what is in them and what owns them. */
export function isolate(index: AssemblyIndex, nodes: readonly number[]): PreparationCommand {
  return (draft) => {
    const all = index.assembly.nodes;
    const shown = new Uint8Array(all.length);
    for (const n of nodes) {
      for (let i = n; i < nth(index.end, n); i++) shown[i] = 1;
      for (let p = all[n]?.parent ?? -1; p >= 0; p = all[p]?.parent ?? -1) shown[p] = 1;
    }
    all.forEach((node, i) => {
      // Hiding the topmost is enough; what is below follows.
      const hide = !shown[i] && (node.parent < 0 || shown[node.parent] === 1);
      if (Boolean(draft.nodes[node.key]?.hidden) === hide) return;
      changeNode(draft, node.key, (entry) => {
        if (hide) entry.hidden = true;
        else delete entry.hidden;
      });
    });
  };
}

/** Shows everything. */
export function showAll(): PreparationCommand {
  return (draft) => {
    for (const key of Object.keys(draft.nodes))
      if (draft.nodes[key]?.hidden) changeNode(draft, key, (node) => delete node.hidden);
  };
}

/** Gives parts a finish; null puts the CAD finish back. */
export function setFinish(keys: readonly string[], finish: Finish | null): PreparationCommand {
  return (draft) => {
    for (const key of keys) {
      changeNode(draft, key, (node) => {
        if (finish) node.finish = { ...finish };
        else delete node.finish;
      });
    }
  };
}

/** Sets a node's pivot, in its own frame; null puts it back to the middle. A group's is in the assembly's frame. */
export function setPivot(target: PartTarget, pivot: Pivot | null): PreparationCommand {
  return (draft) => {
    if (target.type === "group") {
      const group = groupOf(draft, target.id);
      if (pivot) group.pivot = pivot.at;
      else delete group.pivot;
      return;
    }
    changeNode(draft, target.key, (node) => {
      if (pivot) node.pivot = pivot;
      else delete node.pivot;
    });
  };
}

// ---- groups ---------------------------------------------------------------------------------------------------

function groupOf(draft: Preparation, id: string): Group {
  const group = draft.groups[id];
  if (!group) throw new Refusal("gone", { what: "group" });
  return group;
}

function takeOut(draft: Preparation, keys: readonly string[]): void {
  const gone = new Set(keys);
  for (const group of Object.values(draft.groups)) group.members = group.members.filter((m) => !gone.has(m));
}

/** Makes a group of nodes. A node leaves the group it was in. */
export function makeGroup(id: string, name: string, keys: readonly string[]): PreparationCommand {
  return (draft) => {
    if (keys.length === 0) throw new Refusal("group-empty");
    takeOut(draft, keys);
    draft.groups[id] = { id, name: name.trim().slice(0, 200) || "Group", members: [...new Set(keys)] };
  };
}

/** Puts nodes into a group; they leave the one they were in. */
export function addToGroup(id: string, keys: readonly string[]): PreparationCommand {
  return (draft) => {
    groupOf(draft, id);
    takeOut(draft, keys);
    const group = groupOf(draft, id);
    group.members = [...new Set([...group.members, ...keys])];
  };
}

/** Takes nodes out of whatever group they are in. */
export function leaveGroup(keys: readonly string[]): PreparationCommand {
  return (draft) => takeOut(draft, keys);
}

/** Renames or locks a group. */
export function updateGroup(id: string, change: { name?: string; locked?: boolean }): PreparationCommand {
  return (draft) => {
    const group = groupOf(draft, id);
    if (change.name !== undefined) group.name = change.name.trim().slice(0, 200) || group.name;
    if (change.locked === true) group.locked = true;
    if (change.locked === false) delete group.locked;
  };
}

/** Dissolves a group; its parts stay. Joints of the group go with it. */
export function dissolveGroup(id: string): PreparationCommand {
  return (draft) => {
    groupOf(draft, id);
    for (const joint of Object.values(draft.joints))
      if (joint.target.type === "group" && joint.target.id === id) removeJoint(joint.id)(draft);
    for (const pose of Object.values(draft.poses))
      if (pose.target.type === "group" && pose.target.id === id) delete draft.poses[pose.id];
    delete draft.groups[id];
  };
}

// ---- joints and links -----------------------------------------------------------------------------------------

/** Adds or replaces a joint. @throws Refusal when a link it takes part in would not work any more. */
export function putJoint(joint: Joint): PreparationCommand {
  return (draft) => {
    draft.joints[joint.id] = joint;
    checkLinks(draft);
  };
}

/** Removes a joint with the links it takes part in. Keys of it stay in the sequences, marked. */
export function removeJoint(id: string): PreparationCommand {
  return (draft) => {
    if (!draft.joints[id]) throw new Refusal("gone", { what: "joint" });
    for (const link of Object.values(draft.links))
      if (link.driver === id || link.follower === id) delete draft.links[link.id];
    for (const pose of Object.values(draft.poses)) delete pose.values[`joint.${id}`];
    delete draft.joints[id];
  };
}

/**
 * Adds or replaces a link. @throws Refusal in words for the user when the links would not work: two drivers, a
 * circle.
 */
export function putLink(link: Link): PreparationCommand {
  return (draft) => {
    draft.links[link.id] = link;
    checkLinks(draft);
  };
}

export function removeLink(id: string): PreparationCommand {
  return (draft) => {
    if (!draft.links[id]) throw new Refusal("gone", { what: "link" });
    delete draft.links[id];
  };
}

function checkLinks(draft: Preparation): void {
  const fault = linkFault(draft);
  if (fault) throw new Refusal("said", { text: fault });
}

// ---- named poses ----------------------------------------------------------------------------------------------

/** Adds or replaces a named pose. @throws Refusal when its target has another one of that name. */
export function putPose(pose: NamedPose): PreparationCommand {
  return (draft) => {
    const name = pose.name.trim();
    if (name === "") throw new Refusal("pose-name-needed");
    const twin = Object.values(draft.poses).find(
      (p) => p.id !== pose.id && p.name === name && JSON.stringify(p.target) === JSON.stringify(pose.target),
    );
    if (twin) throw new Refusal("pose-name-taken", { name });
    draft.poses[pose.id] = { ...pose, name };
  };
}

export function removePose(id: string): PreparationCommand {
  return (draft) => {
    delete draft.poses[id];
  };
}

// ---- surroundings and looks -----------------------------------------------------------------------------------

/** Changes light, ground, background or edges. */
export function setSurroundings(change: Partial<Surroundings>): PreparationCommand {
  return (draft) => {
    Object.assign(draft.surroundings, change);
  };
}

/** What the preparation shows now, as a look would hold it. */
export function lookNow(preparation: Preparation): Pick<Look, "nodes" | "surroundings"> {
  const nodes: Record<string, LookNode> = {};
  for (const [key, node] of Object.entries(preparation.nodes)) {
    const entry: LookNode = {};
    if (node.finish) entry.finish = node.finish;
    if (node.hidden) entry.hidden = true;
    if (node.ghost) entry.ghost = true;
    if (Object.keys(entry).length > 0) nodes[key] = entry;
  }
  return { nodes, surroundings: preparation.surroundings };
}

const copy = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

function lookOf(draft: Preparation, id: string): Look {
  const look = draft.looks[id];
  if (!look) throw new Refusal("gone", { what: "look" });
  return look;
}

/** Saves what is shown now as a look; the first becomes the project's default. */
export function saveLook(id: string, name: string, thumbnail: string | null): PreparationCommand {
  return (draft) => {
    const clean = name.trim();
    if (clean === "") throw new Refusal("name-needed", { what: "look" });
    if (Object.values(draft.looks).some((l) => l.id !== id && l.name === clean))
      throw new Refusal("look-name-taken", { name: clean });
    draft.looks[id] = { id, name: clean.slice(0, 200), ...copy(lookNow(draft)), thumbnail };
    draft.defaultLook ??= id;
  };
}

/** Makes a look hold what is shown now. */
export function updateLook(id: string, thumbnail: string | null): PreparationCommand {
  return (draft) => {
    Object.assign(lookOf(draft, id), copy(lookNow(draft)), { thumbnail });
  };
}

/** Shows a look: finishes, visibility and surroundings become those of the look. */
export function applyLook(id: string): PreparationCommand {
  return (draft) => wear(draft, copy(lookOf(draft, id)));
}

/** Puts finishes, visibility and surroundings in place of those shown now. */
export function wear(draft: Preparation, look: Pick<Look, "nodes" | "surroundings">): void {
  for (const key of new Set([...Object.keys(draft.nodes), ...Object.keys(look.nodes)])) {
    changeNode(draft, key, (node) => {
      delete node.finish;
      delete node.hidden;
      delete node.ghost;
      Object.assign(node, look.nodes[key]);
    });
  }
  draft.surroundings = look.surroundings;
}

export function renameLook(id: string, name: string): PreparationCommand {
  return (draft) => {
    const clean = name.trim();
    if (clean === "") throw new Refusal("name-needed", { what: "look" });
    if (Object.values(draft.looks).some((l) => l.id !== id && l.name === clean))
      throw new Refusal("look-name-taken", { name: clean });
    lookOf(draft, id).name = clean.slice(0, 200);
  };
}

export function duplicateLook(id: string, copyId: string): PreparationCommand {
  return (draft) => {
    const look = copy(lookOf(draft, id));
    const names = new Set(Object.values(draft.looks).map((l) => l.name));
    let name = `${look.name} (copy)`.slice(0, 190);
    for (let i = 2; names.has(name); i++) name = `${look.name} (copy ${i})`.slice(0, 200);
    draft.looks[copyId] = { ...look, id: copyId, name };
  };
}

export function removeLook(id: string): PreparationCommand {
  return (draft) => {
    lookOf(draft, id);
    delete draft.looks[id];
    if (draft.defaultLook === id) draft.defaultLook = null;
  };
}

/** The look that sequences begin with; null for what is shown now. */
export function setDefaultLook(id: string | null): PreparationCommand {
  return (draft) => {
    if (id !== null) lookOf(draft, id);
    draft.defaultLook = id;
  };
}

/** Makes a second one of a part, with its finishes. @throws Refusal without a name, and for a copy of a copy */
export function addCopy(id: string, of: string, name: string): PreparationCommand {
  return (draft) => {
    const clean = name.trim().slice(0, 200);
    if (!clean) throw new Refusal("name-needed", { what: "copy" });
    if (originalKey(of) !== of) throw new Refusal("copy-of-copy");
    draft.copies[id] = { id, of, name: clean };
    for (const [key, node] of Object.entries(draft.nodes)) {
      if (key !== of && !key.startsWith(`${of}/`)) continue;
      const { finish, ghost, pivot, axes } = node;
      const kept = {
        ...(finish ? { finish } : {}),
        ...(ghost ? { ghost } : {}),
        ...(pivot ? { pivot } : {}),
        ...(axes ? { axes } : {}),
      };
      if (Object.keys(kept).length > 0) draft.nodes[copyKey(of, id) + key.slice(of.length)] = copy(kept);
    }
  };
}

/** Removes a copy of a part with what was prepared for it. */
export function removeCopy(id: string): PreparationCommand {
  return (draft) => {
    const it = draft.copies[id];
    if (!it) throw new Refusal("gone", { what: "copy" });
    const root = copyKey(it.of, id);
    const inside = (key: string) => key === root || key.startsWith(`${root}/`);
    const about = (target: PartTarget) => target.type === "node" && inside(target.key);
    delete draft.copies[id];
    for (const key of Object.keys(draft.nodes)) if (inside(key)) delete draft.nodes[key];
    for (const group of Object.values(draft.groups)) group.members = group.members.filter((m) => !inside(m));
    for (const pose of Object.values(draft.poses)) if (about(pose.target)) delete draft.poses[pose.id];
    for (const joint of Object.values(draft.joints)) if (about(joint.target)) removeJoint(joint.id)(draft);
  };
}

/**
 * Moves the home of a part: everything it does moves with it. `home` is a rigid departure from the CAD home in the
 * parent's frame, 16 numbers, column-major, mm; null goes back to the CAD home.
 */
export function setHome(key: string, home: readonly number[] | null): PreparationCommand {
  return (draft) => {
    if (home && !home.every(Number.isFinite)) throw new Refusal("home-numbers");
    const node = draft.nodes[key] ?? {};
    if (home) draft.nodes[key] = { ...node, home: [...home] };
    else {
      const { home: _old, ...rest } = node;
      if (Object.keys(rest).length > 0) draft.nodes[key] = rest;
      else delete draft.nodes[key];
    }
  };
}

/** Sets the unit that lengths are shown and typed in. */
export function setDisplayUnit(unit: LengthUnit): PreparationCommand {
  return (draft) => {
    draft.displayUnit = unit;
  };
}

/** Changes some numbers of parts' finishes, each starting from its own: `cadOf` gives the one that CAD means. */
export function adjustFinishes(
  keys: readonly string[],
  change: Partial<Finish>,
  cadOf: (key: string) => Finish,
): PreparationCommand {
  return (draft) => {
    for (const key of keys) setFinish([key], { ...(draft.nodes[key]?.finish ?? cadOf(key)), ...change })(draft);
  };
}
