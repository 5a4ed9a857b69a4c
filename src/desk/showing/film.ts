import type { AssemblyIndex } from "../../core/assembly/assembly";
import type { Preparation } from "../../core/document/preparation";
import type { Sequence } from "../../core/document/sequence";
import { runCommand } from "../../core/edit/history";
import type { Patch } from "../../core/edit/patches";
import type { SequenceCommand } from "../../core/edit/sequenceCommands";
import { compile, recompile, withPreparation } from "../../core/program/compile";
import type { Program } from "../../core/program/program";
import type { Draft } from "../state";

/**
 * The open sequence, compiled: as it is stored, with a move that is only being made, or as a command would make it.
 * Whatever changes, only what it touches is compiled again.
 */
export class Film {
  program: Program;
  /** Patches of what is shown without being stored. */
  private previewed: Patch[] = [];

  constructor(index: AssemblyIndex, preparation: Preparation, sequence: Sequence) {
    this.program = compile(index, preparation, sequence);
  }

  /** Compiles all of it, over another tree or of another sequence. */
  afresh(index: AssemblyIndex, preparation: Preparation, body: Sequence, draft: Draft | null): void {
    this.previewed = [];
    this.program = compile(index, preparation, withDraft(body, draft));
  }

  /** Shows another move that is being made, in place of one before; null for none. */
  draft(body: Sequence, before: Draft | null, draft: Draft | null): void {
    const paths = [before, draft].flatMap((d) => (d ? [["steps", d.step, "moves", d.move.id]] : []));
    this.program = recompile(this.program, withDraft(body, draft), paths);
  }

  /**
   * Shows the sequence as a command would make it, each time from what is stored; null ends that.
   * @returns whether anything is shown otherwise than before
   * @throws what keeps the command from running
   */
  preview(body: Sequence, command: SequenceCommand | null, draft: Draft | null): boolean {
    const next = command ? runCommand<Sequence>(body, command) : { document: body, patches: [] };
    const paths = [...this.previewed, ...next.patches].map((p) => p.path);
    this.previewed = next.patches;
    if (paths.length === 0) return false;
    this.program = recompile(this.program, withDraft(next.document, draft), paths);
    return true;
  }

  /** Takes over the stored sequence after an edit; what was previewed is over. */
  edited(body: Sequence, patches: readonly Patch[], draft: Draft | null): void {
    const paths = [...this.previewed, ...patches].map((p) => p.path);
    this.previewed = [];
    this.program = recompile(this.program, withDraft(body, draft), paths);
  }

  /** Takes over a preparation that leaves the tree as it is. */
  prepared(preparation: Preparation): void {
    this.program = withPreparation(this.program, preparation);
  }
}

function withDraft(body: Sequence, draft: Draft | null): Sequence {
  const step = draft ? body.steps[draft.step] : undefined;
  if (!draft || !step) return body;
  return {
    ...body,
    steps: { ...body.steps, [step.id]: { ...step, moves: { ...step.moves, [draft.move.id]: draft.move } } },
  };
}
