import type { SerializedBVH } from "three-mesh-bvh";
import { createStore } from "zustand/vanilla";
import { type AssemblyIndex, indexAssembly } from "../../core/assembly/assembly";
import { type AssemblyPackage, decodePackage } from "../../core/assembly/package";
import type { DocumentBody, DocumentKind } from "../../core/document/documents";
import type { Preparation } from "../../core/document/preparation";
import { type CameraValues, newSequence, type Sequence, type Target } from "../../core/document/sequence";
import { EASE_DEFAULT, type Ease } from "../../core/ease/ease";
import { type History, History as HistoryClass, type HistoryEntry, runCommand } from "../../core/edit/history";
import { freshId } from "../../core/edit/id";
import { type Patch, patched } from "../../core/edit/patches";
import { removeKey, type SequenceCommand } from "../../core/edit/sequenceCommands";
import { compile, recompile, targetId, withPreparation } from "../../core/program/compile";
import { createPose, type Overrides, type Pose, sample, stepAt } from "../../core/program/pose";
import type { Program } from "../../core/program/program";
import { formatSecondsShort, TICKS_PER_SECOND, ticksPerFrame } from "../../core/time/time";
import type { Stage } from "../../stage/stage";
import { json } from "../common/api";
import { keepPending, keepView } from "./keeping";
import { loadPending, type PendingPose, storePending } from "./pendingStore";
import { Saver, type SaveState } from "./saver";

export interface Loaded<T> {
  id: string;
  body: T;
}

export interface KeyRef {
  step: string;
  move: string;
  key: string;
}

export type Focus = { kind: "step"; id: string } | { kind: "parts" } | { kind: "key"; ref: KeyRef } | { kind: "camera" };

export interface Notice {
  id: number;
  tone: "info" | "problem";
  text: string;
}

export interface DeskState {
  projectId: string;
  projectName: string;
  fileName: string;
  preparation: Loaded<Preparation>;
  sequences: Loaded<Sequence>[];
  sequenceId: string;
  /** Grows with every change of the compiled program. */
  programVersion: number;
  ticks: number;
  playing: boolean;
  loop: boolean;
  selection: readonly number[];
  hover: number | null;
  focus: Focus;
  pending: Readonly<Record<string, PendingPose>>;
  keepOnRelease: boolean;
  through: boolean;
  leadTicks: number;
  ease: Ease;
  snapping: { on: boolean; distanceMm: number; angleDeg: number };
  save: { state: SaveState; waiting: number };
  undoLabel: string | null;
  redoLabel: string | null;
  notice: Notice | null;
  readout: { x: number; y: number; text: string } | null;
  dialog: "publish" | "shortcuts" | "rate" | null;
}

const halfFrame = (s: Sequence) => ticksPerFrame(s.rate) / 2;

/**
 * The desk without its interface: documents, the compiled program, selection, pending poses, playback, undo and
 * saving. React reads `store`; the stage is told what to show.
 */
export class Desk {
  readonly store;
  readonly index: AssemblyIndex;
  readonly pkg: AssemblyPackage;
  program: Program;
  private stage: Stage | null = null;
  private probeOf: Program | null = null;
  private probePose: Pose | null = null;
  /** A pose to read values from, apart from the stage's. */
  private get probe(): Pose {
    if (this.probeOf !== this.program || !this.probePose) {
      this.probeOf = this.program;
      this.probePose = createPose(this.program);
    }
    return this.probePose;
  }
  private readonly history: History = new HistoryClass();
  private readonly saver: Saver;
  private playStart = { clock: 0, ticks: 0 };
  private raf = 0;
  private notices = 0;

  constructor(init: {
    projectId: string;
    projectName: string;
    fileName: string;
    bytes: ArrayBuffer;
    readonly trees: (SerializedBVH | null)[];
    documents: { id: string; kind: DocumentKind; revision: number; body: DocumentBody }[];
  }) {
    this.pkg = decodePackage(new Uint8Array(init.bytes));
    this.trees = init.trees;
    this.index = indexAssembly(this.pkg.assembly);
    const preparation = init.documents.find((d) => d.kind === "preparation");
    const sequences = init.documents.filter((d) => d.kind === "sequence");
    const first = sequences[0];
    if (!preparation || !first) throw new Error("The project lacks its documents.");
    this.program = compile(this.index, preparation.body as Preparation, first.body as Sequence);
    this.saver = new Saver({
      onState: (state, waiting) => this.set({ save: { state, waiting } }),
      onRebased: (id, body) => this.replaceDocument(id, body as DocumentBody),
      onRefused: (message) => this.notify("problem", `The last change could not be saved and was taken back: ${message}`),
      onKeptCopy: (id, server, mine) => this.keepBoth(id, server as DocumentBody, mine as DocumentBody),
    });
    for (const d of init.documents) this.saver.track(d.id, d.revision, d.body);
    const sequence = first.body as Sequence;
    this.store = createStore<DeskState>(() => ({
      projectId: init.projectId,
      projectName: init.projectName,
      fileName: init.fileName,
      preparation: { id: preparation.id, body: preparation.body as Preparation },
      sequences: sequences.map((d) => ({ id: d.id, body: d.body as Sequence })),
      sequenceId: first.id,
      programVersion: 0,
      ticks: 0,
      playing: false,
      loop: false,
      selection: [],
      hover: null,
      focus: { kind: "step", id: sequence.stepOrder[0] ?? "" },
      pending: loadPending(init.projectId, this.index),
      keepOnRelease: false,
      through: true,
      leadTicks: 0.9 * TICKS_PER_SECOND,
      ease: EASE_DEFAULT,
      snapping: { on: true, distanceMm: 1, angleDeg: 5 },
      save: { state: "saved", waiting: 0 },
      undoLabel: null,
      redoLabel: null,
      notice: null,
      readout: null,
      dialog: null,
    }));
    for (const p of Object.values(this.state.pending)) if (p.target.type === "node") this.program.trackNode(p.target.key);
  }
  readonly trees: (SerializedBVH | null)[];

  get state(): DeskState {
    return this.store.getState();
  }
  set(change: Partial<DeskState>): void {
    this.store.setState(change);
  }
  get sequence(): Sequence {
    return this.program.sequence;
  }

  /** Connects the drawn stage. */
  attach(stage: Stage | null): void {
    this.stage = stage;
    if (!stage) return;
    stage.snapping = this.state.snapping;
    stage.setProgram(this.program);
    this.show();
  }
  get view(): Stage | null {
    return this.stage;
  }

  notify(tone: Notice["tone"], text: string): void {
    this.set({ notice: { id: ++this.notices, tone, text } });
  }

  // ---- documents ----------------------------------------------------------------------------------------------

  /** Runs a command on the sequence: one entry of undo, saved at once. Commands that cannot run say why. */
  edit(label: string, command: SequenceCommand, merge: string | null = null): boolean {
    const loaded = this.state.sequences.find((s) => s.id === this.state.sequenceId) as Loaded<Sequence>;
    return this.run(loaded, label, command as (draft: DocumentBody) => void, merge);
  }

  /** Runs a command on the preparation. */
  prepare(label: string, command: (draft: Preparation) => void, merge: string | null = null): boolean {
    return this.run(this.state.preparation, label, command as (draft: DocumentBody) => void, merge);
  }

  private run(loaded: Loaded<DocumentBody>, label: string, command: (draft: DocumentBody) => void, merge: string | null): boolean {
    let result: ReturnType<typeof runCommand<DocumentBody>>;
    try {
      result = runCommand<DocumentBody>(loaded.body, command);
    } catch (error) {
      this.notify("problem", (error as Error).message);
      return false;
    }
    if (result.patches.length === 0) return false;
    const entry: HistoryEntry = { document: loaded.id, label, patches: result.patches, inverse: result.inverse, merge };
    this.history.push(entry);
    this.accept(loaded.id, result.document, result.patches, label);
    return true;
  }

  /** Ends merging of edits into one undo entry. */
  seal(): void {
    this.history.seal();
  }

  undo(): void {
    const entry = this.history.undo();
    if (entry) this.applyEntry(entry, `Undo: ${entry.label}`);
  }
  redo(): void {
    const entry = this.history.redo();
    if (entry) this.applyEntry(entry, `Redo: ${entry.label}`);
  }

  private applyEntry(entry: { document: string; patches: Patch[] }, label: string): void {
    const loaded = this.documentOf(entry.document);
    if (!loaded) return;
    this.accept(entry.document, patched(loaded.body, entry.patches), entry.patches, label.slice(0, 300));
  }

  private documentOf(id: string): Loaded<DocumentBody> | undefined {
    const { preparation, sequences } = this.state;
    return preparation.id === id ? preparation : sequences.find((s) => s.id === id);
  }

  private accept(id: string, body: DocumentBody, patches: Patch[], label: string): void {
    this.saver.add(id, { id: freshId(), label, patches });
    this.put(id, body, patches);
  }

  /** Takes a document over into state and program; `patches` null means anything may have changed. */
  private put(id: string, body: DocumentBody, patches: Patch[] | null): void {
    const { preparation, sequences, sequenceId } = this.state;
    if (preparation.id === id) {
      this.program = withPreparation(this.program, body as Preparation);
      this.set({ preparation: { id, body: body as Preparation } });
    } else {
      this.set({ sequences: sequences.map((s) => (s.id === id ? { id, body: body as Sequence } : s)) });
      if (id === sequenceId) {
        this.program = patches
          ? recompile(
              this.program,
              body as Sequence,
              patches.map((p) => p.path),
            )
          : compile(this.index, this.state.preparation.body, body as Sequence);
      }
    }
    for (const p of Object.values(this.state.pending)) if (p.target.type === "node") this.program.trackNode(p.target.key);
    for (const i of this.state.selection) this.program.trackNode(this.index.assembly.nodes[i]?.key ?? "");
    this.checkFocus();
    this.set({
      programVersion: this.state.programVersion + 1,
      undoLabel: this.history.undoLabel,
      redoLabel: this.history.redoLabel,
      ticks: Math.min(this.state.ticks, Math.max(this.program.steps.length, 0)),
    });
    this.stage?.setProgram(this.program);
    this.show();
  }

  private replaceDocument(id: string, body: DocumentBody): void {
    this.history.clear();
    this.put(id, body, null);
  }

  private async keepBoth(id: string, server: DocumentBody, mine: DocumentBody): Promise<void> {
    this.replaceDocument(id, server);
    if (!("stepOrder" in mine)) {
      this.notify("problem", "Someone else changed the same thing at the same moment. Theirs was kept; please make your last change again.");
      return;
    }
    const copy = { ...mine, name: `${mine.name} (kept copy)`.slice(0, 200) };
    try {
      const { id: copyId } = await json<{ id: string }>(`/api/projects/${this.state.projectId}/documents`, { body: { kind: "sequence", body: copy } });
      this.saver.track(copyId, 0, copy);
      this.set({ sequences: [...this.state.sequences, { id: copyId, body: copy }] });
      this.notify("info", `Someone else changed the same step at the same moment. Both are kept: theirs here, yours as "${copy.name}".`);
    } catch {
      this.notify("problem", "Someone else changed the same step at the same moment, and your version could not be stored as a copy. Theirs is shown.");
    }
  }

  private checkFocus(): void {
    const { focus } = this.state;
    const { steps, stepOrder } = this.sequence;
    const first = stepOrder[0] ?? "";
    if (focus.kind === "step" && !steps[focus.id]) this.set({ focus: { kind: "step", id: first } });
    if (focus.kind === "key" && !steps[focus.ref.step]?.moves[focus.ref.move]?.keys[focus.ref.key])
      this.set({ focus: this.state.selection.length > 0 ? { kind: "parts" } : { kind: "step", id: first } });
  }

  /** Pending poses belong to the open sequence: it is not left while one waits. */
  private poseWaits(): boolean {
    const waits = Object.keys(this.state.pending).length > 0;
    if (waits) this.notify("problem", "A pose is pending. Keep or drop it before you open another sequence.");
    return waits;
  }

  /** Opens another sequence of the project, unless a pose is pending in this one. */
  openSequence(id: string): void {
    const loaded = this.state.sequences.find((s) => s.id === id);
    if (!loaded || this.poseWaits()) return;
    this.pause();
    this.program = compile(this.index, this.state.preparation.body, loaded.body);
    this.set({ sequenceId: id, ticks: 0, focus: { kind: "step", id: loaded.body.stepOrder[0] ?? "" }, programVersion: this.state.programVersion + 1 });
    this.stage?.setProgram(this.program);
    this.show();
  }

  /** Makes another sequence of the project, seen from where this one begins, and opens it. */
  async newSequence(name: string): Promise<void> {
    if (this.poseWaits()) return;
    const now = this.sequence;
    const body = newSequence(name.slice(0, 200), (now.cameras[now.camera] as Sequence["cameras"][string]).home, freshId());
    body.rate = now.rate;
    body.picture = now.picture;
    try {
      const { id } = await json<{ id: string }>(`/api/projects/${this.state.projectId}/documents`, { body: { kind: "sequence", body } });
      this.saver.track(id, 0, body);
      this.set({ sequences: [...this.state.sequences, { id, body }] });
      this.openSequence(id);
    } catch (error) {
      this.notify("problem", `The sequence could not be made: ${(error as Error).message}`);
    }
  }

  // ---- time ---------------------------------------------------------------------------------------------------

  /** Puts the playhead at a time (ticks), within the sequence and up to ten minutes past its end. */
  seek(ticks: number): void {
    const limit = this.program.steps.length + 600 * TICKS_PER_SECOND;
    this.set({ ticks: Math.max(0, Math.min(limit, Math.round(ticks))) });
    if (this.state.playing) this.playStart = { clock: performance.now(), ticks: this.state.ticks };
    this.followStep();
    this.show();
  }

  /** While a step's details are open they are those of the step at the playhead. */
  private followStep(): void {
    const { focus } = this.state;
    const here = this.stepAtPlayhead();
    if (focus.kind === "step" && here && here.id !== focus.id && this.sequence.steps[focus.id]?.on) this.set({ focus: { kind: "step", id: here.id } });
  }

  /** Steps by frames, landing on frame starts. */
  stepFrames(by: number): void {
    const per = ticksPerFrame(this.sequence.rate);
    const at = this.state.ticks / per;
    const frame = by > 0 ? Math.floor(at + 1e-6) + by : Math.ceil(at - 1e-6) + by;
    this.pause();
    this.seek(Math.max(0, frame) * per);
  }

  /** Goes to the next or previous arrival or step edge. */
  jump(direction: 1 | -1): void {
    const { start, action, end, ids } = this.program.steps;
    const times = new Set<number>([0, this.program.steps.length]);
    ids.forEach((id, i) => {
      times.add(start[i] as number).add(end[i] as number);
      for (const move of Object.values(this.sequence.steps[id]?.moves ?? {})) {
        for (const key of Object.values(move.keys)) times.add((action[i] as number) + key.at);
      }
    });
    const sorted = [...times].sort((a, b) => a - b);
    const now = this.state.ticks;
    const next = direction > 0 ? sorted.find((t) => t > now + 1) : sorted.reverse().find((t) => t < now - 1);
    this.pause();
    if (next !== undefined) this.seek(next);
  }

  play(): void {
    if (this.state.playing) return;
    const end = this.program.steps.length;
    if (this.state.ticks >= end - 1) this.set({ ticks: 0 });
    this.playStart = { clock: performance.now(), ticks: this.state.ticks };
    this.set({ playing: true });
    const tick = () => {
      if (!this.state.playing) return;
      const length = this.program.steps.length;
      let at = this.playStart.ticks + ((performance.now() - this.playStart.clock) / 1000) * TICKS_PER_SECOND;
      if (at >= length) {
        if (this.state.loop && length > 0) {
          at %= length;
          this.playStart = { clock: performance.now(), ticks: at };
        } else {
          this.set({ ticks: length, playing: false });
          this.followStep();
          this.show();
          return;
        }
      }
      // Shown at frame starts, as the video will be.
      const per = ticksPerFrame(this.sequence.rate);
      this.set({ ticks: Math.floor(at / per) * per });
      this.show();
      this.raf = requestAnimationFrame(tick);
    };
    this.raf = requestAnimationFrame(tick);
  }
  pause(): void {
    cancelAnimationFrame(this.raf);
    if (!this.state.playing) return;
    this.set({ playing: false });
    this.followStep();
    this.show();
  }
  togglePlay(): void {
    if (this.state.playing) this.pause();
    else this.play();
  }

  /** The step at the playhead: position, id, and its times. */
  stepAtPlayhead(ticks = this.state.ticks): { position: number; id: string; start: number; action: number; end: number } | null {
    const i = stepAt(this.program, ticks);
    const { ids, start, action, end } = this.program.steps;
    if (i < 0) return null;
    return { position: i, id: ids[i] as string, start: start[i] as number, action: action[i] as number, end: end[i] as number };
  }

  // ---- selection ----------------------------------------------------------------------------------------------

  select(nodes: readonly number[], focus = true): void {
    for (const i of nodes) this.program.trackNode(this.index.assembly.nodes[i]?.key ?? "");
    this.set({ selection: nodes, ...(focus && nodes.length > 0 ? { focus: { kind: "parts" } as Focus } : {}) });
    if (nodes.length === 0 && this.state.focus.kind === "parts") {
      const step = this.stepAtPlayhead();
      this.set({ focus: { kind: "step", id: step?.id ?? this.sequence.stepOrder[0] ?? "" } });
    }
    this.stage?.setProgram(this.program);
    this.show();
  }

  /** Selects the sub-assembly that owns the selection. */
  climb(): void {
    const parents = new Set<number>();
    for (const i of this.state.selection) {
      const parent = this.index.assembly.nodes[i]?.parent ?? -1;
      parents.add(parent >= 0 ? parent : i);
    }
    if (parents.size > 0) this.select([...parents]);
  }

  setHover(node: number | null): void {
    if (node === this.state.hover) return;
    this.set({ hover: node });
    this.marks();
  }

  nameOf(node: number): string {
    const entry = this.index.assembly.nodes[node];
    return entry ? (this.state.preparation.body.nodes[entry.key]?.name ?? entry.name) : "";
  }

  // ---- pending poses ------------------------------------------------------------------------------------------

  /** The value of a channel of a target as shown now, pending included. */
  valueOf(target: Target, channel: string): number {
    const pending = this.state.pending[targetId(target)];
    if (pending && this.isHere(pending) && channel in pending.values) return pending.values[channel] as number;
    const c = this.program.channelOf(target, channel);
    if (c < 0) return 0;
    // Not read off the stage, which is drawn a little later.
    sample(this.program, this.state.ticks, this.probe);
    return this.probe.values[c] ?? 0;
  }

  isHere(p: PendingPose): boolean {
    return Math.abs(p.at - this.state.ticks) < halfFrame(this.sequence);
  }

  /** Changes the pending pose of a part at the playhead. A pose pending elsewhere is kept waiting until asked about. */
  pend(target: Target, values: Record<string, number>, orientation?: PendingPose["orientation"]): boolean {
    const id = targetId(target);
    const known = this.state.pending[id];
    if (known && !this.isHere(known)) {
      this.notify("problem", `A pose is already pending at ${formatSecondsShort(known.at)} s. Keep or drop it first, or bring it here.`);
      return false;
    }
    this.pause();
    const free = orientation ?? known?.orientation;
    const next: PendingPose = { target, at: known?.at ?? this.state.ticks, values: { ...known?.values, ...values }, ...(free ? { orientation: free } : {}) };
    this.setPending({ ...this.state.pending, [id]: next });
    return true;
  }

  setPending(pending: Record<string, PendingPose>): void {
    this.set({ pending });
    storePending(this.state.projectId, pending);
    this.show();
  }

  drop(): void {
    this.setPending({});
  }

  /** Moves all pending poses to the playhead. */
  bringHere(): void {
    this.setPending(Object.fromEntries(Object.entries(this.state.pending).map(([id, p]) => [id, { ...p, at: this.state.ticks }])));
  }

  /** Keeps all pending poses as arrivals at the times they were made at. @returns false when one has no room. */
  keep(): boolean {
    return keepPending(this);
  }

  targetName(target: Target): string {
    if (target.type === "camera") return this.sequence.cameras[target.id]?.name ?? "Camera";
    const node = this.index.indexOf.get(target.key);
    return node === undefined ? target.key : this.nameOf(node);
  }

  /** Removes the arrival that is selected on the timeline. */
  removeFocusedKey(): void {
    const { focus } = this.state;
    if (focus.kind !== "key") return;
    this.edit("Remove arrival", removeKey(focus.ref.step, focus.ref.move, focus.ref.key));
  }

  // ---- camera -------------------------------------------------------------------------------------------------

  setThrough(through: boolean): void {
    this.stage?.setThrough(through);
    this.set({ through });
  }

  /** Keeps what the stage shows as a camera arrival at the playhead. @returns false when it has no room. */
  keepView(): boolean {
    return keepView(this);
  }

  /** The free view, for the read-out in the details. */
  freeView(): CameraValues | null {
    return this.stage && !this.state.through ? this.stage.control.view : null;
  }

  // ---- what the stage shows -----------------------------------------------------------------------------------

  private overrides(): Overrides | undefined {
    const channels = new Map<number, number>();
    const orientations = new Map<number, readonly number[]>();
    for (const p of Object.values(this.state.pending)) {
      if (!this.isHere(p)) continue;
      for (const [name, value] of Object.entries(p.values)) {
        const c = this.program.channelOf(p.target, name);
        if (c >= 0) channels.set(c, value);
      }
      if (p.orientation && p.target.type === "node") {
        const tracks = this.program.trackNode(p.target.key);
        if (tracks) orientations.set(tracks.orientation, p.orientation);
      }
    }
    return channels.size + orientations.size > 0 ? { channels, orientations } : undefined;
  }

  /** Brings the stage up to date with time, pending poses and selection. */
  show(): void {
    const { stage } = this;
    if (!stage) return;
    stage.setOverrides(this.overrides());
    stage.setTime(this.state.ticks);
    const only = this.state.selection.length === 1 && !this.state.playing ? (this.state.selection[0] ?? null) : null;
    stage.setHandleNode(only);
    stage.setOrbitNodes(this.state.selection);
    this.marks();
  }

  private marks(): void {
    const under = (nodes: Iterable<number>) => {
      const out = new Set<number>();
      for (const n of nodes) for (let i = n; i < (this.index.end[n] ?? 0); i++) out.add(i);
      return out;
    };
    const pending: number[] = [];
    for (const p of Object.values(this.state.pending)) {
      if (p.target.type !== "node" || !this.isHere(p)) continue;
      const node = this.index.indexOf.get(p.target.key);
      if (node !== undefined) pending.push(node);
    }
    this.stage?.setMarks(
      this.state.playing
        ? { selected: new Set(), pending: under(pending), hover: -1 }
        : { selected: under(this.state.selection), pending: under(pending), hover: this.state.hover ?? -1 },
    );
  }

  dispose(): void {
    this.pause();
    this.stage = null;
  }
}
