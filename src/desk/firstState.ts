import type { SerializedBVH } from "three-mesh-bvh";
import type { AssemblyIndex } from "../core/assembly/assembly";
import type { DocumentBody, DocumentKind } from "../core/document/parse";
import type { Preparation } from "../core/document/preparation";
import type { Sequence } from "../core/document/sequence";
import type { HistoryEntry } from "../core/edit/history";
import type { Aside, Outbox } from "./documents/outbox";
import { SAVED } from "./documents/saver";
import type { UndoStore } from "./documents/undoStore";
import { lastAids } from "./remembered/aidsStore";
import { lastArriving } from "./remembered/arrivingStore";
import { loadPending } from "./remembered/pendingStore";
import { lastSnapping } from "./remembered/snappingStore";
import { lastBelow, lastCurves, lastPlay, lastRange, lastSequence, lastTiming } from "./remembered/timingStore";
import { nothing, selectedOf } from "./selection/selection";
import type { AssemblyState, DeskState, Loaded } from "./state";

/** What a desk is opened with. */
export interface DeskInit {
  projectId: string;
  projectName: string;
  assembly: AssemblyState;
  /** The package of the open revision. */
  bytes: ArrayBuffer;
  trees: (SerializedBVH | null)[];
  documents: { id: string; kind: DocumentKind; revision: number; body: DocumentBody }[];
  /** Where unconfirmed edits are kept; the browser's storage if not given. */
  outbox?: Outbox;
  /** What was set aside in this browser. */
  asides?: Aside[];
  /** What can be undone and redone from before the page was opened, and where it is kept. */
  undo?: { entries: HistoryEntry[]; done: number } | null;
  undoStore?: UndoStore;
  /** Why nothing may be changed, in words; null or nothing where it may. */
  locked?: string | null;
}

/** The state of a desk that was just opened: a sequence at its beginning, and what this browser remembers. */
export function firstState(
  init: DeskInit,
  preparation: Loaded<Preparation>,
  sequences: Loaded<Sequence>[],
  first: Loaded<Sequence>,
  index: AssemblyIndex,
): DeskState {
  const selected = nothing(first.body.stepOrder[0] ?? "");
  return {
    selected,
    ...selectedOf(selected),
    projectId: init.projectId,
    projectName: init.projectName,
    locked: init.locked ?? null,
    out: null,
    others: [],
    reviewing: { open: false, round: null, chosen: null, touched: [] },
    assembly: init.assembly,
    assemblyVersion: 0,
    waiting: null,
    preparation: preparation,
    sequences,
    sequenceId: first.id,
    programVersion: 0,
    ticks: 0,
    playing: false,
    backward: false,
    play: lastPlay(),
    range: lastRange(first.id),
    dropped: 0,
    timing: lastTiming(),
    clip: null,
    curves: lastCurves(),
    earlier: [],
    past: null,
    below: lastBelow(),
    compare: null,
    watching: null,
    joint: null,
    hover: null,
    partTab: "move",
    draft: null,
    copied: null,
    work: null,
    stepPictures: {},
    aids: lastAids(),
    framing: null,
    abrupt: null,
    proof: null,
    proofShare: null,
    spot: null,
    making: {},
    heard: {},
    recording: null,
    proofing: { open: false, chosen: null, check: null, show: "open", planning: null, asked: 0 },
    viewVersion: 0,
    pending: loadPending(first.id, index, preparation.body.groups),
    keepOnRelease: false,
    through: true,
    parallel: false,
    flying: false,
    handleFrame: "owner",
    arriving: lastArriving(first.id),
    snapping: lastSnapping(),
    picking: null,
    feature: null,
    comparing: null,
    proposed: null,
    menu: null,
    renaming: null,
    asking: null,
    save: SAVED,
    asides: init.asides ?? [],
    undoLabel: null,
    redoLabel: null,
    notice: null,
    readout: null,
    dialog: null,
  };
}

/** The documents that a project is opened with, and the sequence that is shown first: the one that was open last. */
export function documentsOf(init: DeskInit): {
  preparation: Loaded<Preparation>;
  sequences: Loaded<Sequence>[];
  first: Loaded<Sequence>;
} {
  const of = <T>(kind: string): Loaded<T>[] =>
    init.documents.filter((d) => d.kind === kind).map((d) => ({ id: d.id, body: d.body as T }));
  const [preparation] = of<Preparation>("preparation");
  const sequences = of<Sequence>("sequence");
  const last = lastSequence(init.projectId);
  const first = sequences.find((s) => s.id === last) ?? sequences[0];
  if (!preparation || !first) throw new Error("The project lacks its documents.");
  return { preparation, sequences, first };
}
