import type { SerializedBVH } from "three-mesh-bvh";
import { createStore } from "zustand/vanilla";
import type { AssemblyIndex } from "../core/assembly/assembly";
import type { AssemblyPackage } from "../core/assembly/package";
import type { DocumentBody } from "../core/document/parse";
import type { Preparation } from "../core/document/preparation";
import type { Sequence, Target } from "../core/document/sequence";
import type { Patch } from "../core/edit/patches";
import type { SequenceCommand } from "../core/edit/sequenceCommands";
import type { Proposed } from "../core/finish/proposals";
import type { Program } from "../core/program/program";
import type { Overrides } from "../core/program/sampling";
import type { Stage } from "../stage/stage";
import { Content, type Holder } from "./content";
import { DeskDocuments } from "./documents/deskDocuments";
import { type DeskInit, documentsOf, firstState } from "./firstState";
import { Playback } from "./playback/playback";
import { type Selection, selectedOf } from "./selection/selection";
import { Probe } from "./showing/probe";
import { Showing } from "./showing/showing";
import type { AssemblyState, DeskChange, DeskState, Draft, Loaded, Notice, Spot } from "./state";

/**
 * The desk without its interface: documents, the compiled program, selection, pending poses, playback, undo and
 * saving. React reads `store`; the stage is told what to show. What each member is for is said in port.ts.
 */
export class OpenDesk implements Holder {
  readonly store;
  private readonly content: Content;
  readonly playback: Playback;
  readonly openedAt: ReadonlyMap<string, number>;
  private readonly showing = new Showing(this);
  private readonly probe = new Probe(this);
  readonly documents: DeskDocuments;
  private notices = 0;

  constructor(init: DeskInit) {
    this.playback = new Playback(this);
    const { preparation, sequences, first } = documentsOf(init);
    this.content = new Content(this, init, preparation.body, first.body);
    this.documents = new DeskDocuments(this, init);
    this.openedAt = new Map(init.documents.map((d) => [d.id, d.revision]));
    this.store = createStore<DeskState>(() => ({
      ...firstState(init, preparation, sequences, first, this.index),
      ...this.documents.labels(),
    }));
    this.trackShown();
  }

  get state(): DeskState {
    return this.store.getState();
  }
  set(change: DeskChange): void {
    this.store.setState(change);
  }
  choose(selected: Selection, besides: DeskChange = {}): void {
    this.store.setState(selected === this.state.selected ? besides : { ...besides, selected, ...selectedOf(selected) });
  }
  here(): string {
    return this.stepAtPlayhead()?.id ?? this.sequence.stepOrder[0] ?? "";
  }
  get sequence(): Sequence {
    return this.program.sequence;
  }
  body(): Sequence {
    return this.state.sequences.find((s) => s.id === this.state.sequenceId)?.body as Sequence;
  }

  get pkg(): AssemblyPackage {
    return this.content.assembly.pkg;
  }
  get index(): AssemblyIndex {
    return this.content.assembly.index;
  }
  get packageBytes(): Uint8Array {
    return this.content.assembly.bytes;
  }
  get trees(): (SerializedBVH | null)[] {
    return this.content.assembly.trees;
  }
  get program(): Program {
    return this.content.film.program;
  }
  set program(program: Program) {
    this.content.film.program = program;
  }

  attach(stage: Stage | null): void {
    this.showing.attach(stage);
  }
  get view(): Stage | null {
    return this.showing.stage;
  }

  notify(tone: Notice["tone"], text: string): void {
    this.set({ notice: { id: ++this.notices, tone, text } });
  }

  setDraft(draft: Draft | null): void {
    this.content.setDraft(draft);
  }
  preview(command: SequenceCommand | null): string | null {
    return this.content.preview(command);
  }
  replaceAssembly(assembly: AssemblyState, bytes: ArrayBuffer, trees: (SerializedBVH | null)[]): void {
    this.content.replaceAssembly(assembly, bytes, trees);
  }
  trackShown(): void {
    this.content.trackShown();
  }
  put(id: string, body: DocumentBody, patches: Patch[] | null): void {
    this.content.put(id, body, patches);
  }

  // ---- documents ----------------------------------------------------------------------------------------------

  /** Runs a command on the sequence: one entry of undo, saved at once. Commands that cannot run say why. */
  edit(label: string, command: SequenceCommand, merge: string | null = null): boolean {
    const loaded = this.state.sequences.find((s) => s.id === this.state.sequenceId) as Loaded<Sequence>;
    return this.documents.editTogether(label, [{ document: loaded.id, command }], merge);
  }

  /** Runs a command on the preparation. */
  prepare(label: string, command: (draft: Preparation) => void, merge: string | null = null): boolean {
    return this.documents.editTogether(label, [{ document: this.state.preparation.id, command }], merge);
  }

  /** Runs commands on several documents as one act: all of them or, where one cannot run, none. */
  editTogether(
    label: string,
    commands: readonly { document: string; command: (draft: never) => void }[],
    merge: string | null = null,
  ): boolean {
    return this.documents.editTogether(label, commands, merge);
  }
  seal(): void {
    this.documents.seal();
  }
  undo(): void {
    this.documents.undo();
  }
  redo(): void {
    this.documents.redo();
  }
  /** Records an act that changed something beside the documents. */
  recordOutside(label: string, undo: unknown, redo: unknown): void {
    this.documents.recordOutside(label, undo, redo);
  }

  /** What is shown below the stage, as far as its view can be changed from elsewhere. */
  timeline: { fitAll(): void; fitSelection(): void; zoomBy(factor: number): void } | null = null;

  onOutside: ((to: unknown) => Promise<void>) | null = null;

  /** Takes over a document as the server has it; what could be undone in it cannot be any longer. */
  replaceDocument(id: string, body: DocumentBody): void {
    this.documents.replace(id, body);
  }

  /** Takes in a sequence that the server has just stored. */
  addSequence(id: string, body: Sequence, revision = 0): void {
    // Whoever made it may have been told of it before the answer came.
    if (this.state.sequences.some((s) => s.id === id)) return;
    this.documents.track(id, revision, body);
    this.set({ sequences: [...this.state.sequences, { id, body }] });
  }

  // ---- time ---------------------------------------------------------------------------------------------------

  seek(ticks: number): void {
    this.playback.seek(ticks);
  }
  stepFrames(by: number): void {
    this.playback.stepFrames(by);
  }
  jump(direction: 1 | -1): void {
    this.playback.jump(direction);
  }
  play(backward = false): void {
    this.playback.play(backward);
  }
  pause(): void {
    this.playback.pause();
  }
  togglePlay(backward = false): void {
    this.playback.toggle(backward);
  }
  stepAtPlayhead(ticks?: number): ReturnType<Playback["stepAt"]> {
    return this.playback.stepAt(ticks);
  }

  setHover(node: number | null): void {
    if (node === this.state.hover) return;
    this.set({ hover: node });
    this.showing.marks();
  }

  valueOf(target: Target, channel: string): number {
    return this.probe.valueOf(target, channel);
  }

  overrides(): Overrides | undefined {
    return this.showing.overrides();
  }
  show(): void {
    this.showing.show();
  }
  dress(): void {
    this.showing.dress();
  }
  labels(): DeskChange {
    return this.documents.labels();
  }
  dressStage(stage: Stage): void {
    this.showing.dressStage(stage);
  }
  /** Shows a saved look in place of what is prepared now, without changing anything; null goes back. */
  compareLook(id: string | null): void {
    this.showing.compareLook(id);
  }
  showSpot(spot: Spot | null): void {
    this.showing.showSpot(spot);
  }
  propose(proposed: readonly Proposed[] | null): void {
    this.showing.propose(proposed);
  }

  dispose(): void {
    this.documents.dispose();
    this.pause();
    this.showing.stage = null;
  }
}
