import type { SerializedBVH } from "three-mesh-bvh";
import { createStore } from "zustand/vanilla";
import { type AssemblyIndex, indexAssembly } from "../core/assembly/assembly";
import { type AssemblyPackage, decodePackage } from "../core/assembly/package";
import { preparedAssembly, sameAssembly } from "../core/assembly/prepared";
import type { DocumentBody } from "../core/document/parse";
import type { Preparation } from "../core/document/preparation";
import type { Sequence, Target } from "../core/document/sequence";
import { runCommand } from "../core/edit/history";
import type { Patch } from "../core/edit/patches";
import type { SequenceCommand } from "../core/edit/sequenceCommands";
import { compile, recompile, withPreparation } from "../core/program/compile";
import type { Overrides } from "../core/program/pose";
import type { Program } from "../core/program/program";
import { withIdentities } from "../core/revision/identity";
import { problemOf } from "../core/text/problem";
import type { Stage } from "../stage/stage";
import { DeskDocuments } from "./documents/deskDocuments";
import { type DeskInit, firstState } from "./firstState";
import { Playback } from "./playback/playback";
import type { Desk } from "./port";
import { lastSequence } from "./remembered/timingStore";
import { targetOf } from "./selection/selecting";
import { renumbered, type Selection, selectedOf } from "./selection/selection";
import { tidySelection } from "./selection/tidy";
import { Probe } from "./showing/probe";
import { Showing } from "./showing/showing";
import type { AssemblyState, DeskChange, DeskState, Draft, Loaded, Notice } from "./state";

/**
 * The desk without its interface: documents, the compiled program, selection, pending poses, playback, undo and
 * saving. React reads `store`; the stage is told what to show.
 */
export class OpenDesk implements Desk {
  readonly store;
  index: AssemblyIndex;
  pkg: AssemblyPackage;
  /** The open revision's package as it came, for workers. */
  packageBytes: Uint8Array;
  /** The package as CAD has it, with the names documents know; `pkg` is that as it is prepared. */
  private fromCad: AssemblyPackage;
  trees: (SerializedBVH | null)[];
  program: Program;
  readonly playback: Playback;
  /** Revisions of the documents when the page was opened. */
  readonly openedAt: ReadonlyMap<string, number>;
  private readonly showing = new Showing(this);
  private readonly probe = new Probe(this);
  readonly documents: DeskDocuments;
  private notices = 0;

  constructor(init: DeskInit) {
    this.packageBytes = new Uint8Array(init.bytes);
    this.trees = init.trees;
    this.playback = new Playback(this);
    const preparation = init.documents.filter((d) => d.kind === "preparation").map((d): Loaded<Preparation> => ({ id: d.id, body: d.body as Preparation }))[0];
    const sequences = init.documents.filter((d) => d.kind === "sequence").map((d): Loaded<Sequence> => ({ id: d.id, body: d.body as Sequence }));
    const last = lastSequence(init.projectId);
    const first = sequences.find((s) => s.id === last) ?? sequences[0];
    if (!preparation || !first) throw new Error("The project lacks its documents.");
    this.fromCad = namedPackage(init.bytes, init.assembly);
    this.pkg = { ...this.fromCad, assembly: preparedAssembly(this.fromCad.assembly, preparation.body) };
    this.index = indexAssembly(this.pkg.assembly);
    this.program = compile(this.index, preparation.body, first.body);
    this.documents = new DeskDocuments(this, init);
    this.openedAt = new Map(init.documents.map((d) => [d.id, d.revision]));
    this.store = createStore<DeskState>(() => firstState(init, preparation, sequences, first, this.index));
    this.trackShown();
  }

  get state(): DeskState {
    return this.store.getState();
  }
  set(change: DeskChange): void {
    this.store.setState(change);
  }
  /** Selects something else in place of what is selected; `besides` changes with it. */
  choose(selected: Selection, besides: DeskChange = {}): void {
    this.store.setState(selected === this.state.selected ? besides : { ...besides, selected, ...selectedOf(selected) });
  }
  /** The step whose details are shown while nothing is selected: that at the playhead. */
  here(): string {
    return this.stepAtPlayhead()?.id ?? this.sequence.stepOrder[0] ?? "";
  }
  /** The sequence as it is shown, with a move that is being made. */
  get sequence(): Sequence {
    return this.program.sequence;
  }
  /** The open sequence's document, without a move that is only being made. */
  body(): Sequence {
    return this.state.sequences.find((s) => s.id === this.state.sequenceId)?.body as Sequence;
  }

  private withDraft(body: Sequence, draft = this.state?.draft ?? null): Sequence {
    const step = draft ? body.steps[draft.step] : undefined;
    if (!draft || !step) return body;
    return { ...body, steps: { ...body.steps, [step.id]: { ...step, moves: { ...step.moves, [draft.move.id]: draft.move } } } };
  }

  /** Shows a move that is being made, as it would be; null ends that. Nothing is stored. */
  setDraft(draft: Draft | null): void {
    const before = this.state.draft;
    const paths = [before, draft].flatMap((d) => (d ? [["steps", d.step, "moves", d.move.id]] : []));
    this.program = recompile(this.program, this.withDraft(this.body(), draft), paths);
    this.set({ draft, programVersion: this.state.programVersion + 1 });
    this.trackShown();
    this.view?.setProgram(this.program);
    this.show();
  }

  /** Patches of what is shown without being stored. */
  private previewed: Patch[] = [];
  /**
   * Shows the sequence as a command would make it, without storing anything; null ends that. While something is
   * dragged this is called again and again, each time from the sequence as it is stored.
   * @returns what keeps the command from running, in words, or null
   */
  preview(command: SequenceCommand | null): string | null {
    let next: { document: Sequence; patches: Patch[] } = { document: this.body(), patches: [] };
    try {
      if (command) next = runCommand<Sequence>(this.body(), command);
    } catch (error) {
      return problemOf(error);
    }
    const paths = [...this.previewed, ...next.patches].map((p) => p.path);
    this.previewed = next.patches;
    if (paths.length === 0) return null;
    this.program = recompile(this.program, this.withDraft(next.document), paths);
    this.set({ programVersion: this.state.programVersion + 1 });
    this.view?.setProgram(this.program);
    this.show();
    return null;
  }

  /** Connects the drawn stage. */
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

  /** The same with a command that is worked out first; what keeps it from being made is said, too. */
  attempt(label: string, make: () => SequenceCommand, merge: string | null = null): boolean {
    let command: SequenceCommand;
    try {
      command = make();
    } catch (error) {
      this.notify("problem", problemOf(error));
      return false;
    }
    return this.edit(label, command, merge);
  }

  /** Runs a command on the preparation. */
  prepare(label: string, command: (draft: Preparation) => void, merge: string | null = null): boolean {
    return this.documents.editTogether(label, [{ document: this.state.preparation.id, command }], merge);
  }

  /** Runs commands on several documents as one act: all of them or, where one cannot run, none. */
  editTogether(label: string, commands: readonly { document: string; command: (draft: never) => void }[], merge: string | null = null): boolean {
    return this.documents.editTogether(label, commands, merge);
  }
  /** Ends merging of edits into one undo entry. */
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

  /** Set by who can put another revision of the assembly in place; see revising.ts. */
  onOutside: ((to: unknown) => Promise<void>) | null = null;

  /** Puts another revision of the assembly in place of the present one; documents stay as they are. */
  replaceAssembly(assembly: AssemblyState, bytes: ArrayBuffer, trees: (SerializedBVH | null)[]): void {
    this.pause();
    this.packageBytes = new Uint8Array(bytes);
    this.fromCad = namedPackage(bytes, assembly);
    this.trees = trees;
    this.set({ draft: null, assembly });
    this.placeAssembly(this.state.preparation.body);
    this.trackShown();
    tidySelection(this);
  }

  /** Makes the assembly anew as a preparation has it, with what is drawn from it. Selected parts stay selected. */
  private placeAssembly(preparation: Preparation): void {
    const chosen = new Map(this.state.selection.map((i) => [i, this.index.assembly.nodes[i]?.key ?? ""]));
    this.pkg = { ...this.fromCad, assembly: preparedAssembly(this.fromCad.assembly, preparation) };
    this.index = indexAssembly(this.pkg.assembly);
    this.program = compile(this.index, preparation, this.withDraft(this.body()));
    // The old stage knows other nodes; a new one is put up with the new version.
    this.attach(null);
    const selected = renumbered(this.state.selected, (node) => this.index.indexOf.get(chosen.get(node) ?? "") ?? -1);
    this.choose(selected, { assemblyVersion: this.state.assemblyVersion + 1, programVersion: this.state.programVersion + 1, hover: null });
  }

  /** Makes tracks for what is selected or pending, so that it can be moved. */
  trackShown(): void {
    for (const p of Object.values(this.state.pending)) if (p.target.type === "node" || p.target.type === "group") this.program.trackPart(p.target);
    const target = targetOf(this);
    if (target) this.program.trackPart(target);
  }

  /** Takes a document over into state and program; `patches` null means anything may have changed. */
  put(id: string, body: DocumentBody, patches: Patch[] | null): void {
    const { preparation, sequences, sequenceId } = this.state;
    const shown = this.previewed;
    this.previewed = [];
    if (preparation.id === id) {
      const same = sameAssembly(preparation.body, body as Preparation);
      if (same) this.program = withPreparation(this.program, body as Preparation);
      this.set({ preparation: { id, body: body as Preparation }, comparing: null });
      // Copies and moved homes are part of the tree that everything is drawn from.
      if (!same) this.placeAssembly(body as Preparation);
      this.showing.dress();
    } else {
      this.set({ sequences: sequences.map((s) => (s.id === id ? { id, body: body as Sequence } : s)) });
      if (id === sequenceId) {
        this.program = patches
          ? recompile(
              this.program,
              this.withDraft(body as Sequence),
              [...shown, ...patches].map((p) => p.path),
            )
          : compile(this.index, this.state.preparation.body, this.withDraft(body as Sequence));
      }
    }
    this.trackShown();
    tidySelection(this);
    this.set({
      programVersion: this.state.programVersion + 1,
      ...this.documents.labels(),
      ticks: Math.min(this.state.ticks, Math.max(this.program.steps.length, 0)),
    });
    this.view?.setProgram(this.program);
    this.show();
  }

  /** Takes over a document as the server has it; what could be undone in it cannot be any longer. */
  replaceDocument(id: string, body: DocumentBody): void {
    this.documents.replace(id, body);
  }

  /** Takes in a sequence that the server has just stored. */
  addSequence(id: string, body: Sequence): void {
    this.documents.track(id, 0, body);
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
    if (this.state.playing && this.state.backward === backward) this.pause();
    else this.play(backward);
  }
  stepAtPlayhead(ticks?: number): ReturnType<Playback["stepAt"]> {
    return this.playback.stepAt(ticks);
  }

  // ---- selection ----------------------------------------------------------------------------------------------

  setHover(node: number | null): void {
    if (node === this.state.hover) return;
    this.set({ hover: node });
    this.showing.marks();
  }

  // ---- pending poses ------------------------------------------------------------------------------------------

  /** The value of a channel of a target as shown now, pending included. */
  valueOf(target: Target, channel: string): number {
    return this.probe.valueOf(target, channel);
  }

  // ---- camera -------------------------------------------------------------------------------------------------

  // ---- what the stage shows -----------------------------------------------------------------------------------

  overrides(): Overrides | undefined {
    return this.showing.overrides();
  }
  /** Brings the stage up to date with time, pending poses and selection. */
  show(): void {
    this.showing.show();
  }
  /** Dresses a stage as the desk's own is. */
  dressStage(stage: Stage): void {
    this.showing.dressStage(stage);
  }
  /** Shows a saved look in place of what is prepared now, without changing anything; null goes back. */
  compareLook(id: string | null): void {
    this.showing.compareLook(id);
  }

  dispose(): void {
    this.documents.dispose();
    this.pause();
    this.showing.stage = null;
  }
}

/** A package whose nodes have the names that documents know them by. */
function namedPackage(bytes: ArrayBuffer, assembly: AssemblyState): AssemblyPackage {
  const pkg = decodePackage(new Uint8Array(bytes));
  return { ...pkg, assembly: withIdentities(pkg.assembly, assembly.identities) };
}
