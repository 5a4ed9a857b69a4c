import type { SerializedBVH } from "three-mesh-bvh";
import { createStore } from "zustand/vanilla";
import type { AssemblyIndex } from "../core/assembly/assembly";
import type { AssemblyPackage } from "../core/assembly/package";
import { sameAssembly } from "../core/assembly/prepared";
import type { DocumentBody } from "../core/document/parse";
import type { Preparation } from "../core/document/preparation";
import type { Sequence, Target } from "../core/document/sequence";
import type { Patch } from "../core/edit/patches";
import type { SequenceCommand } from "../core/edit/sequenceCommands";
import type { Proposed } from "../core/finish/proposals";
import type { Overrides } from "../core/program/pose";
import type { Program } from "../core/program/program";
import { problemOf } from "../core/text/problem";
import type { Stage } from "../stage/stage";
import { DeskDocuments } from "./documents/deskDocuments";
import { OpenAssembly } from "./documents/openAssembly";
import { type DeskInit, documentsOf, firstState } from "./firstState";
import { Playback } from "./playback/playback";
import type { Desk } from "./port";
import { targetOf } from "./selection/selecting";
import { renumbered, type Selection, selectedOf } from "./selection/selection";
import { tidySelection } from "./selection/tidy";
import { Film } from "./showing/film";
import { Probe } from "./showing/probe";
import { Showing } from "./showing/showing";
import type { AssemblyState, DeskChange, DeskState, Draft, Loaded, Notice, Spot } from "./state";

/**
 * The desk without its interface: documents, the compiled program, selection, pending poses, playback, undo and
 * saving. React reads `store`; the stage is told what to show. What each member is for is said in port.ts.
 */
export class OpenDesk implements Desk {
  readonly store;
  private assembly: OpenAssembly;
  private readonly film: Film;
  readonly playback: Playback;
  readonly openedAt: ReadonlyMap<string, number>;
  private readonly showing = new Showing(this);
  private readonly probe = new Probe(this);
  readonly documents: DeskDocuments;
  private notices = 0;

  constructor(init: DeskInit) {
    this.playback = new Playback(this);
    const { preparation, sequences, first } = documentsOf(init);
    this.assembly = new OpenAssembly(init.bytes, init.assembly, init.trees, preparation.body);
    this.film = new Film(this.index, preparation.body, first.body);
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
    return this.assembly.pkg;
  }
  get index(): AssemblyIndex {
    return this.assembly.index;
  }
  get packageBytes(): Uint8Array {
    return this.assembly.bytes;
  }
  get trees(): (SerializedBVH | null)[] {
    return this.assembly.trees;
  }
  get program(): Program {
    return this.film.program;
  }
  set program(program: Program) {
    this.film.program = program;
  }

  /** Shows a move that is being made, as it would be; null ends that. Nothing is stored. */
  setDraft(draft: Draft | null): void {
    this.film.draft(this.body(), this.state.draft, draft);
    this.set({ draft });
    this.trackShown();
    this.changed();
  }

  /**
   * Shows the sequence as a command would make it, without storing anything; null ends that. While something is
   * dragged this is called again and again, each time from the sequence as it is stored.
   * @returns what keeps the command from running, in words, or null
   */
  preview(command: SequenceCommand | null): string | null {
    try {
      if (this.film.preview(this.body(), command, this.state.draft)) this.changed();
      return null;
    } catch (error) {
      return problemOf(error);
    }
  }

  /** Brings everything that shows the film up to date. */
  private changed(besides: DeskChange = {}): void {
    this.set({ ...besides, programVersion: this.state.programVersion + 1 });
    this.view?.setProgram(this.program);
    this.show();
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

  /** Puts another revision of the assembly in place of the present one; documents stay as they are. */
  replaceAssembly(assembly: AssemblyState, bytes: ArrayBuffer, trees: (SerializedBVH | null)[]): void {
    this.pause();
    const before = this.index;
    this.assembly = new OpenAssembly(bytes, assembly, trees, this.state.preparation.body);
    this.set({ draft: null, assembly });
    this.placed(before);
    this.trackShown();
    tidySelection(this);
  }

  /** Makes all that is drawn from the tree anew, after it changed. Selected parts stay selected. */
  private placed(before: AssemblyIndex): void {
    this.film.afresh(this.index, this.state.preparation.body, this.body(), this.state.draft);
    // The old stage knows other nodes; a new one is put up with the new version.
    this.attach(null);
    const selected = renumbered(
      this.state.selected,
      (node) => this.index.indexOf.get(before.assembly.nodes[node]?.key ?? "") ?? -1,
    );
    this.choose(selected, {
      assemblyVersion: this.state.assemblyVersion + 1,
      programVersion: this.state.programVersion + 1,
      hover: null,
    });
  }

  /** Makes tracks for what is selected or pending, so that it can be moved. */
  trackShown(): void {
    for (const p of Object.values(this.state.pending))
      if (p.target.type === "node" || p.target.type === "group") this.program.trackPart(p.target);
    const target = targetOf(this);
    if (target) this.program.trackPart(target);
  }

  /** Takes a document over into state and program; `patches` null means anything may have changed. */
  put(id: string, body: DocumentBody, patches: Patch[] | null): void {
    const { preparation, sequences, sequenceId, draft, ticks } = this.state;
    // A playhead that was put beyond the end stays there: what is keyed next is meant for where it is.
    const beyond = ticks > this.program.steps.length;
    if (preparation.id === id) {
      const next = body as Preparation;
      const same = sameAssembly(preparation.body, next);
      if (same) this.film.prepared(next);
      this.set({ preparation: { id, body: next }, comparing: null });
      // Copies and moved homes are part of the tree that everything is drawn from.
      if (!same) {
        const before = this.index;
        this.assembly.prepare(next);
        this.placed(before);
      }
      this.showing.dress();
    } else {
      this.set({ sequences: sequences.map((s) => (s.id === id ? { id, body: body as Sequence } : s)) });
      if (id === sequenceId && patches) this.film.edited(body as Sequence, patches, draft);
      else if (id === sequenceId) this.film.afresh(this.index, this.state.preparation.body, body as Sequence, draft);
    }
    this.trackShown();
    tidySelection(this);
    this.changed({
      ...this.documents.labels(),
      ticks: beyond ? ticks : Math.min(ticks, this.program.steps.length),
    });
  }

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
