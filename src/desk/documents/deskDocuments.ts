import { type DocumentBody, parseDocument } from "../../core/document/parse";
import { History, type HistoryPart, type HistoryStep, runCommand } from "../../core/edit/history";
import { freshId } from "../../core/edit/id";
import { applyTo, type Edit, type Patch, patched } from "../../core/edit/patches";
import type { LogAnswer } from "../../core/edit/replica";
import { problemOf } from "../../core/text/problem";
import { json } from "../api";
import type { DeskInit } from "../firstState";
import type { Desk } from "../port";
import type { DeskState, Loaded } from "../state";
import type { Send } from "./exchange";
import { keepBoth } from "./otherSequences";
import { type Aside, type Outbox, StoredOutbox } from "./outbox";
import { Saver } from "./saver";
import { holdSession } from "./session";

/** How long the server may take to answer a save before it is asked again, ms. */
const ANSWER_MS = 30_000;

/** Sends edits to the server. */
export const sendEdits: Send = (document, base, edits) =>
  json<LogAnswer>(`/api/documents/${document}/edits`, {
    body: { base, edits },
    signal: AbortSignal.timeout(ANSWER_MS),
  });

/** The edits of a desk's documents: run as acts, undone and redone, saved, and what was before each of them. */
export class DeskDocuments {
  private readonly history: History;
  private readonly saver: Saver;
  private readonly release: () => void;
  private lastMerge: string | null = null;

  constructor(
    private readonly desk: Desk,
    { documents, projectId, outbox = new StoredOutbox(), undo, undoStore }: DeskInit,
  ) {
    // Written once the edit itself is queued, so that what is kept knows it as its own.
    this.history = new History(undo?.entries, undo?.done, (change) =>
      queueMicrotask(() => undoStore?.write(change, this.history, this.saver.marks())),
    );
    this.outbox = outbox;
    const session = freshId();
    this.release = holdSession(session);
    this.saver = new Saver(
      {
        onStatus: (save) => desk.set({ save }),
        onRebased: (id, body, foreign) => this.rebased(id, body as DocumentBody, foreign),
        onClash: (id, server, mine) => keepBoth(desk, id, server as DocumentBody, mine as DocumentBody),
        onAside: (aside, body) => this.tookAside(aside, body as DocumentBody | null),
      },
      { project: projectId, session, outbox, send: sendEdits, nameOf: (id) => nameOf(this.documentOf(id)?.body) },
    );
    for (const d of documents) this.track(d.id, d.revision, d.body);
  }
  readonly outbox: Outbox;

  /** Lets another page of this browser send what this one could not. */
  dispose(): void {
    this.release();
  }

  /** Everything that the server has not confirmed. */
  waiting(): ReturnType<Saver["waiting"]> {
    return this.saver.waiting();
  }

  /** Revision of a document up to which the server and this page agree. */
  revisionOf(id: string): number {
    return this.saver.marks()[id]?.base ?? 0;
  }

  /** Takes in what others did to a document meanwhile. */
  pull(id: string): Promise<void> {
    return this.saver.pull(id, (base) =>
      json<LogAnswer>(`/api/documents/${id}/edits?since=${base}`, { signal: AbortSignal.timeout(ANSWER_MS) }),
    );
  }

  private rebased(id: string, body: DocumentBody, foreign: Patch[]): void {
    this.history.rebase(id, foreign);
    this.desk.put(id, body, foreign);
  }

  private tookAside(aside: Aside, body: DocumentBody | null): void {
    if (body) this.replace(aside.document, body);
    this.desk.set({ asides: [...this.desk.state.asides, aside] });
    const n = aside.edits.length;
    const what = n === 1 ? `"${aside.edits[0]?.label}"` : `${n} changes`;
    this.desk.notify(
      "problem",
      `${what} could not be saved and ${n === 1 ? "is" : "are"} set aside: ${aside.message}${body ? "" : " Reload the page to go on."}`,
    );
  }

  /**
   * Makes edits that were set aside again, on the document as it is now, as one act. @returns what keeps them from
   * it, or null
   */
  again(document: string, edits: readonly Edit[]): string | null {
    const loaded = this.documentOf(document);
    if (!loaded) return "What they belong to is no longer in this project.";
    try {
      const patches = edits.flatMap((e) => e.patches);
      const {
        document: body,
        patches: made,
        inverse,
      } = runCommand<DocumentBody>(loaded.body, (draft) => applyTo(draft, patches));
      parseDocument("stepOrder" in body ? "sequence" : ("preparation" as "sequence"), body);
      if (made.length === 0) return null;
      const label = edits.length === 1 ? (edits[0]?.label ?? "") : `${edits.length} changes that were set aside`;
      const edit = { id: freshId(), label: label.slice(0, 300), patches: made };
      Saver.check(edit);
      this.history.push({ label: edit.label, parts: [{ document, patches: made, inverse }], merge: null });
      this.accept(document, body, edit);
      return null;
    } catch (error) {
      return problemOf(error);
    }
  }

  /** Saves from now on what is edited in a document that the server has as it is. */
  track(id: string, revision: number, body: DocumentBody): void {
    this.saver.track(id, revision, body);
  }

  /** What undo and redo would do, in words. */
  labels(): Pick<DeskState, "undoLabel" | "redoLabel"> {
    return { undoLabel: this.history.undoLabel, redoLabel: this.history.redoLabel };
  }

  /** Runs commands on several documents as one act: all of them or, where one cannot run, none. */
  editTogether(
    label: string,
    commands: readonly { document: string; command: (draft: never) => void }[],
    merge: string | null = null,
  ): boolean {
    if (this.refused()) return false;
    const results: (ReturnType<typeof runCommand<DocumentBody>> & { id: string })[] = [];
    try {
      for (const { document: id, command } of commands) {
        const loaded = this.documentOf(id);
        if (loaded)
          results.push({ ...runCommand<DocumentBody>(loaded.body, command as (draft: DocumentBody) => void), id });
      }
    } catch (error) {
      this.desk.notify("problem", problemOf(error));
      return false;
    }
    const changed = results.filter((r) => r.patches.length > 0);
    if (changed.length === 0) return false;
    const text = label.slice(0, 300);
    const edits = changed.map((r): Edit => ({ id: freshId(), label: text, patches: r.patches }));
    try {
      for (const e of edits) Saver.check(e);
    } catch (error) {
      this.desk.notify("problem", problemOf(error));
      return false;
    }
    this.history.push({
      label: text,
      parts: changed.map((r): HistoryPart => ({ document: r.id, patches: r.patches, inverse: r.inverse })),
      merge,
    });
    changed.forEach((r, i) => {
      const edit = edits[i] as Edit;
      if (r.id === this.desk.state.sequenceId) this.rememberEarlier(edit.id, text, merge);
      this.accept(r.id, r.document, edit);
    });
    return true;
  }

  /** Keeps how the sequence is before an edit, for looking back at its curves; a merged edit counts once. */
  private rememberEarlier(edit: string, label: string, merge: string | null): void {
    if (merge !== null && merge === this.lastMerge) return;
    this.lastMerge = merge;
    this.desk.set({
      earlier: [{ id: edit, label: `before ${label}`, body: this.desk.body() }, ...this.desk.state.earlier].slice(
        0,
        40,
      ),
    });
  }

  /** Ends merging of edits into one undo entry. */
  seal(): void {
    this.lastMerge = null;
    this.history.seal();
  }

  /** Says why nothing may be changed, where that is so. */
  private refused(): boolean {
    const why = this.desk.state.out ?? this.desk.state.locked;
    if (why !== null) this.desk.notify("info", why);
    return why !== null;
  }

  undo(): void {
    if (this.refused()) return;
    const step = this.history.undo();
    if (step) this.applyStep(step, `Undo: ${step.label}`);
  }
  redo(): void {
    if (this.refused()) return;
    const step = this.history.redo();
    if (step) this.applyStep(step, `Redo: ${step.label}`);
  }

  private applyStep(step: HistoryStep, label: string): void {
    this.lastMerge = null;
    for (const part of step.parts) {
      const loaded = this.documentOf(part.document);
      if (loaded)
        this.accept(part.document, patched(loaded.body, part.patches), {
          id: freshId(),
          label: label.slice(0, 300),
          patches: part.patches,
        });
    }
    if (step.outside !== undefined) void this.desk.onOutside?.(step.outside);
    this.desk.set(this.labels());
  }

  /** Records an act that changed something beside the documents. */
  recordOutside(label: string, undo: unknown, redo: unknown): void {
    this.history.push({ label, parts: [], merge: null, outside: { undo, redo } });
    this.desk.set(this.labels());
  }

  private documentOf(id: string): Loaded<DocumentBody> | undefined {
    const { preparation, sequences } = this.desk.state;
    return preparation.id === id ? preparation : sequences.find((s) => s.id === id);
  }

  private accept(id: string, body: DocumentBody, edit: Edit): void {
    this.saver.add(id, edit);
    this.desk.put(id, body, edit.patches as Patch[]);
  }

  /** Takes over a document as the server has it; what could be undone in it cannot be any longer. */
  replace(id: string, body: DocumentBody): void {
    this.history.clear();
    this.desk.put(id, body, null);
  }
}

const nameOf = (body: DocumentBody | undefined) => (body && "name" in body ? body.name : "Preparation");
