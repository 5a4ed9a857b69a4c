import type { DocumentBody } from "../../core/document/parse";
import { Newest } from "../newest";

/** A document as it was at a revision. */
export interface KnownBody {
  revision: number;
  /** Id of the edit that made the revision; "" for the first. Two histories may share a number, never an id. */
  edit: string;
  body: DocumentBody;
  /** Rough size as JSON, bytes. */
  bytes: number;
}

/** What never changes about a document. */
export interface DocumentPlace {
  workspaceId: string;
  projectId: string;
  kind: string;
}

const MOST_BYTES = 64 * 1024 * 1024;
const MOST_PLACES = 5000;

/**
 * Documents that this process saw last. Only ever saves reading them again: whoever uses a body checks revision and
 * edit id against the database first, under the document's lock, so a stale entry is never believed.
 */
export class KnownBodies {
  private readonly bodies = new Map<string, KnownBody>();
  private places = new Newest<string, DocumentPlace>(MOST_PLACES);
  private bytes = 0;

  get(id: string): KnownBody | undefined {
    const known = this.bodies.get(id);
    if (!known) return undefined;
    // Last used, last forgotten.
    this.bodies.delete(id);
    this.bodies.set(id, known);
    return known;
  }

  set(id: string, known: KnownBody): void {
    this.forget(id);
    this.bodies.set(id, known);
    this.bytes += known.bytes;
    for (const oldest of this.bodies.keys()) {
      if (this.bytes <= MOST_BYTES) break;
      this.forget(oldest);
    }
  }

  forget(id: string): void {
    this.bytes -= this.bodies.get(id)?.bytes ?? 0;
    this.bodies.delete(id);
  }

  placeOf(id: string): DocumentPlace | undefined {
    return this.places.get(id);
  }

  setPlace(id: string, place: DocumentPlace): void {
    this.places.set(id, place);
  }

  clear(): void {
    this.bodies.clear();
    this.places = new Newest(MOST_PLACES);
    this.bytes = 0;
  }
}
