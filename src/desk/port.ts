import type { SerializedBVH } from "three-mesh-bvh";
import type { StoreApi } from "zustand/vanilla";
import type { AssemblyIndex } from "../core/assembly/assembly";
import type { AssemblyPackage } from "../core/assembly/package";
import type { DocumentBody } from "../core/document/parse";
import type { Preparation } from "../core/document/preparation";
import type { Sequence, Target } from "../core/document/sequence";
import type { Edit, Patch } from "../core/edit/patches";
import type { SequenceCommand } from "../core/edit/sequenceCommands";
import type { Proposed } from "../core/finish/proposals";
import type { Program } from "../core/program/program";
import type { Overrides } from "../core/program/sampling";
import type { Stage } from "../stage/stage";
import type { Outbox, QueuedEdits } from "./documents/outbox";
import type { Selection } from "./selection/selection";
import type { AssemblyState, DeskChange, DeskState, Draft, Notice, Spot } from "./state";

/** The step at a time, with where it lies, ticks of the sequence. */
export interface StepPlace {
  position: number;
  id: string;
  start: number;
  action: number;
  end: number;
}

/** One act's commands on several documents. */
export type DocumentCommand = { document: string; command: (draft: never) => void };

/**
 * What the parts of the desk know of one another: the open documents, the film that is compiled of them, the state
 * that the interface shows, and the one way to change a document. Everything that is done at the desk is a function
 * over this; see acts, selection, showing, playback. `desk.ts` puts it together.
 */
export interface Desk {
  readonly store: StoreApi<DeskState>;
  readonly state: DeskState;
  set(change: DeskChange): void;
  /** Selects something else in place of what is selected; `besides` changes with it. */
  choose(selected: Selection, besides?: DeskChange): void;
  /** The step whose details are shown while nothing is selected: that at the playhead. */
  here(): string;
  notify(tone: Notice["tone"], text: string): void;

  readonly pkg: AssemblyPackage;
  readonly index: AssemblyIndex;
  /** The open revision's package as it came, for workers. */
  readonly packageBytes: Uint8Array;
  readonly trees: (SerializedBVH | null)[];
  /** What is shown: the open sequence, compiled. */
  program: Program;
  /** The sequence as it is shown, with a move that is being made. */
  readonly sequence: Sequence;
  /** The open sequence's document, without a move that is only being made. */
  body(): Sequence;
  trackShown(): void;
  setDraft(draft: Draft | null): void;
  preview(command: SequenceCommand | null): string | null;
  replaceAssembly(assembly: AssemblyState, bytes: ArrayBuffer, trees: (SerializedBVH | null)[]): void;

  edit(label: string, command: SequenceCommand, merge?: string | null): boolean;
  prepare(label: string, command: (draft: Preparation) => void, merge?: string | null): boolean;
  editTogether(label: string, commands: readonly DocumentCommand[], merge?: string | null): boolean;
  seal(): void;
  undo(): void;
  redo(): void;
  recordOutside(label: string, undo: unknown, redo: unknown): void;
  /** Set by who can put another revision of the assembly in place; see revising.ts. */
  onOutside: ((to: unknown) => Promise<void>) | null;
  put(id: string, body: DocumentBody, patches: Patch[] | null): void;
  replaceDocument(id: string, body: DocumentBody): void;
  addSequence(id: string, body: Sequence, revision?: number): void;
  /** Revisions of the documents when the page was opened. */
  readonly openedAt: ReadonlyMap<string, number>;
  readonly documents: {
    revisionOf(id: string): number;
    pull(id: string): Promise<void>;
    readonly outbox: Outbox;
    waiting(): QueuedEdits;
    again(document: string, edits: readonly Edit[]): string | null;
  };

  seek(ticks: number): void;
  stepFrames(by: number): void;
  jump(direction: 1 | -1): void;
  play(backward?: boolean): void;
  pause(): void;
  togglePlay(backward?: boolean): void;
  stepAtPlayhead(ticks?: number): StepPlace | null;
  readonly playback: { bounds(): { from: number; to: number }; playTo(ticks: number): void; pause(): void };

  /** The drawn stage, while there is one. */
  readonly view: Stage | null;
  attach(stage: Stage | null): void;
  setHover(node: number | null): void;
  /** The value of a channel of a target as shown now, pending included. */
  valueOf(target: Target, channel: string): number;
  overrides(): Overrides | undefined;
  /** Brings the stage up to date with time, pending poses and selection. */
  show(): void;
  dressStage(stage: Stage): void;
  compareLook(id: string | null): void;
  /** Points at a place, with all but the parts it is about seen through; null ends that. */
  showSpot(spot: Spot | null): void;
  /** Shows finishes that are only proposed; null takes them off again. */
  propose(proposed: readonly Proposed[] | null): void;
  /** What is shown below the stage, as far as its view can be changed from elsewhere. */
  timeline: { fitAll(): void; fitSelection(): void; zoomBy(factor: number): void } | null;
}
