import { differences } from "../../core/edit/differences";
import type { Film, FilmSent } from "../../core/edit/film";

/** What is needed of the client of a worker that holds a film. */
interface FilmClient {
  start(): number;
  ask(name: "film", sent: FilmSent): Promise<unknown>;
}

/**
 * Sends a worker films. Copying all of a large one takes the page longer than a frame, so that no more is sent than
 * what differs from the one that the worker holds.
 */
export class FilmSender {
  private held: { by: number; film: Film } | null = null;

  constructor(private readonly client: FilmClient) {}

  /** Sees to it that the worker holds a film when it comes to what is asked next. @returns the film's name */
  send(film: Film): string {
    const by = this.client.start();
    const held = this.held?.by === by ? this.held.film : null;
    if (held?.name === film.name) return film.name;
    const sent: FilmSent =
      held && held.preparation === film.preparation
        ? { name: film.name, from: held.name, changes: differences(held.sequence, film.sequence) }
        : film;
    this.held = { by, film };
    // What goes wrong in it goes wrong again in the question after it, where somebody waits.
    this.client.ask("film", sent).catch(() => {
      if (this.held?.film === film) this.held = null;
    });
    return film.name;
  }
}
