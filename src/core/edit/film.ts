import type { AssemblyIndex } from "../assembly/assembly";
import type { Preparation } from "../document/preparation";
import type { Sequence } from "../document/sequence";
import { compile, recompile } from "../program/compile";
import type { Program } from "../program/program";
import { type Difference, withDifferences } from "./differences";

/** What is looked at. Films of one name are the same. */
export interface Film {
  name: string;
  preparation: Preparation;
  sequence: Sequence;
}

/** A film on its way to a worker: all of it, or in what its sequence differs from one that the worker holds. */
export type FilmSent = Film | { name: string; from: string; changes: readonly Difference[] };

/** The film that a worker was sent last, compiled when it is first asked for. */
export class FilmHeld {
  private film: Film | null = null;
  private made: { name: string; program: Program } | null = null;

  /** @param inPlace an edit changes the program made before: for workers in which nothing goes on with the old one */
  constructor(private readonly inPlace: boolean) {}

  /** @throws Error when it differs from a film that is not held */
  take(sent: FilmSent): void {
    if (!("from" in sent)) {
      this.film = sent;
      this.made = null;
      return;
    }
    const { film, made } = this;
    if (film?.name !== sent.from) throw new Error("The film that this one differs from was not sent.");
    const sequence = withDifferences(film.sequence, sent.changes);
    this.film = { ...film, name: sent.name, sequence };
    if (this.inPlace && made?.name === sent.from) {
      const program = recompile(
        made.program,
        sequence,
        sent.changes.map((c) => c.path),
      );
      this.made = { name: sent.name, program };
    } else this.made = null;
  }

  /** @throws Error when another film is held, or none */
  named(name: string): Film {
    if (this.film?.name !== name) throw new Error("This film was not sent.");
    return this.film;
  }

  program(index: AssemblyIndex, name: string): Program {
    const film = this.named(name);
    this.made ??= { name, program: compile(index, film.preparation, film.sequence) };
    return this.made.program;
  }

  forget(): void {
    this.film = this.made = null;
  }
}
