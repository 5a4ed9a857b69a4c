import type { DocumentBody } from "../../core/document/documents";
import { History, type HistoryPart, type HistoryStep, runCommand } from "../../core/edit/history";
import { freshId } from "../../core/edit/id";
import { type Patch, patched } from "../../core/edit/patches";
import type { Desk } from "./desk";
import type { DeskInit } from "./firstState";
import { keepBoth } from "./otherSequences";
import { Saver } from "./saver";
import type { DeskState, Loaded } from "./state";

/** The edits of a desk's documents: run as acts, undone and redone, saved, and what was before each of them. */
export class DeskDocuments {
  private readonly history = new History();
  private readonly saver: Saver;
  private lastMerge: string | null = null;

  constructor(
    private readonly desk: Desk,
    documents: DeskInit["documents"],
  ) {
    this.saver = new Saver({
      onState: (state, waiting) => desk.set({ save: { state, waiting } }),
      onRebased: (id, body) => this.replace(id, body as DocumentBody),
      onRefused: (message) => desk.notify("problem", `The last change could not be saved and was taken back: ${message}`),
      onKeptCopy: (id, server, mine) => keepBoth(desk, id, server as DocumentBody, mine as DocumentBody),
    });
    for (const d of documents) this.track(d.id, d.revision, d.body);
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
  editTogether(label: string, commands: readonly { document: string; command: (draft: never) => void }[], merge: string | null = null): boolean {
    const results: (ReturnType<typeof runCommand<DocumentBody>> & { id: string })[] = [];
    try {
      for (const { document: id, command } of commands) {
        const loaded = this.documentOf(id);
        if (loaded) results.push({ ...runCommand<DocumentBody>(loaded.body, command as (draft: DocumentBody) => void), id });
      }
    } catch (error) {
      this.desk.notify("problem", (error as Error).message);
      return false;
    }
    const changed = results.filter((r) => r.patches.length > 0);
    if (changed.length === 0) return false;
    const text = label.slice(0, 300);
    this.history.push({ label: text, parts: changed.map((r): HistoryPart => ({ document: r.id, patches: r.patches, inverse: r.inverse })), merge });
    for (const r of changed) {
      const edit = freshId();
      if (r.id === this.desk.state.sequenceId) this.rememberEarlier(edit, text, merge);
      this.accept(r.id, r.document, r.patches, text, edit);
    }
    return true;
  }

  /** Keeps how the sequence is before an edit, for looking back at its curves; a merged edit counts once. */
  private rememberEarlier(edit: string, label: string, merge: string | null): void {
    if (merge !== null && merge === this.lastMerge) return;
    this.lastMerge = merge;
    this.desk.set({ earlier: [{ id: edit, label: `before ${label}`, body: this.desk.body() }, ...this.desk.state.earlier].slice(0, 40) });
  }

  /** Ends merging of edits into one undo entry. */
  seal(): void {
    this.lastMerge = null;
    this.history.seal();
  }

  undo(): void {
    const step = this.history.undo();
    if (step) this.applyStep(step, `Undo: ${step.label}`);
  }
  redo(): void {
    const step = this.history.redo();
    if (step) this.applyStep(step, `Redo: ${step.label}`);
  }

  private applyStep(step: HistoryStep, label: string): void {
    this.lastMerge = null;
    for (const part of step.parts) {
      const loaded = this.documentOf(part.document);
      if (loaded) this.accept(part.document, patched(loaded.body, part.patches), part.patches, label.slice(0, 300));
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

  private accept(id: string, body: DocumentBody, patches: Patch[], label: string, edit = freshId()): void {
    this.saver.add(id, { id: edit, label, patches });
    this.desk.put(id, body, patches);
  }

  /** Takes over a document as the server has it; what could be undone in it cannot be any longer. */
  replace(id: string, body: DocumentBody): void {
    this.history.clear();
    this.desk.put(id, body, null);
  }
}
