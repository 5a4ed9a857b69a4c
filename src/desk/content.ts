import type { SerializedBVH } from "three-mesh-bvh";
import type { AssemblyIndex } from "../core/assembly/assembly";
import { sameAssembly } from "../core/assembly/prepared";
import type { DocumentBody } from "../core/document/parse";
import type { Preparation } from "../core/document/preparation";
import type { Sequence } from "../core/document/sequence";
import type { Patch } from "../core/edit/patches";
import type { SequenceCommand } from "../core/edit/sequenceCommands";
import { problemOf } from "../core/text/problem";
import { OpenAssembly } from "./documents/openAssembly";
import type { DeskInit } from "./firstState";
import type { Desk } from "./port";
import { targetOf } from "./selection/selecting";
import { renumbered } from "./selection/selection";
import { tidySelection } from "./selection/tidy";
import { Film } from "./showing/film";
import type { AssemblyState, DeskChange, Draft } from "./state";

/** What of the desk the content asks for, besides what everybody sees of it. */
export interface Holder extends Desk {
  labels(): DeskChange;
  dress(): void;
}

/**
 * What lies on the desk as it is shown: the assembly as it is prepared, and the film that the sequence compiles to,
 * with what is only tried laid over it. Documents are put here when they change, whoever changed them.
 */
export class Content {
  assembly: OpenAssembly;
  readonly film: Film;

  constructor(
    private readonly desk: Holder,
    init: DeskInit,
    preparation: Preparation,
    sequence: Sequence,
  ) {
    this.assembly = new OpenAssembly(init.bytes, init.assembly, init.trees, preparation);
    this.film = new Film(this.assembly.index, preparation, sequence);
  }

  /** Shows a move that is being made, as it would be; null ends that. Nothing is stored. */
  setDraft(draft: Draft | null): void {
    this.film.draft(this.desk.body(), this.desk.state.draft, draft);
    this.desk.set({ draft });
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
      if (this.film.preview(this.desk.body(), command, this.desk.state.draft)) this.changed();
      return null;
    } catch (error) {
      return problemOf(error);
    }
  }

  /** Brings everything that shows the film up to date. */
  private changed(besides: DeskChange = {}): void {
    this.desk.set({ ...besides, programVersion: this.desk.state.programVersion + 1 });
    this.desk.view?.setProgram(this.desk.program);
    this.desk.show();
  }

  /** Puts another revision of the assembly in place of the present one; documents stay as they are. */
  replaceAssembly(assembly: AssemblyState, bytes: ArrayBuffer, trees: (SerializedBVH | null)[]): void {
    this.desk.pause();
    const before = this.assembly.index;
    this.assembly = new OpenAssembly(bytes, assembly, trees, this.desk.state.preparation.body);
    this.desk.set({ draft: null, assembly });
    this.placed(before);
    this.trackShown();
    tidySelection(this.desk);
  }

  /** Makes all that is drawn from the tree anew, after it changed. Selected parts stay selected. */
  private placed(before: AssemblyIndex): void {
    this.film.afresh(this.assembly.index, this.desk.state.preparation.body, this.desk.body(), this.desk.state.draft);
    // The old stage knows other nodes; a new one is put up with the new version.
    this.desk.attach(null);
    const selected = renumbered(
      this.desk.state.selected,
      (node) => this.assembly.index.indexOf.get(before.assembly.nodes[node]?.key ?? "") ?? -1,
    );
    this.desk.choose(selected, {
      assemblyVersion: this.desk.state.assemblyVersion + 1,
      programVersion: this.desk.state.programVersion + 1,
      hover: null,
    });
  }

  /** Makes tracks for what is selected or pending, so that it can be moved. */
  trackShown(): void {
    for (const p of Object.values(this.desk.state.pending))
      if (p.target.type === "node" || p.target.type === "group") this.desk.program.trackPart(p.target);
    const target = targetOf(this.desk);
    if (target) this.desk.program.trackPart(target);
  }

  /** Takes a document over into state and program; `patches` null means anything may have changed. */
  put(id: string, body: DocumentBody, patches: Patch[] | null): void {
    const { preparation, sequences, sequenceId, draft, ticks } = this.desk.state;
    // A playhead that was put beyond the end stays there: what is keyed next is meant for where it is.
    const beyond = ticks > this.desk.program.steps.length;
    if (preparation.id === id) {
      const next = body as Preparation;
      const same = sameAssembly(preparation.body, next);
      if (same) this.film.prepared(next);
      this.desk.set({ preparation: { id, body: next }, comparing: null });
      // Copies and moved homes are part of the tree that everything is drawn from.
      if (!same) {
        const before = this.assembly.index;
        this.assembly.prepare(next);
        this.placed(before);
      }
      this.desk.dress();
    } else {
      this.desk.set({ sequences: sequences.map((s) => (s.id === id ? { id, body: body as Sequence } : s)) });
      if (id === sequenceId && patches) this.film.edited(body as Sequence, patches, draft);
      else if (id === sequenceId)
        this.film.afresh(this.assembly.index, this.desk.state.preparation.body, body as Sequence, draft);
    }
    this.trackShown();
    tidySelection(this.desk);
    this.changed({
      ...this.desk.labels(),
      ticks: beyond ? ticks : Math.min(ticks, this.desk.program.steps.length),
    });
  }
}
