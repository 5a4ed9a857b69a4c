import { ApiError, json } from "../api";
import type { Desk } from "../port";

/** How often it is asked whether one may still be here, ms: who was removed is out within ten seconds. */
export const STANDING_MS = 3000;

/** What the server says about whoever sits at a desk. */
export interface Standing {
  role: string;
  locked: string | null;
}

/**
 * Watches whether its user may still be at the desk, and may change things. Who is out is told once, for good if they
 * were removed; who only has to sign in again goes on where they were once they have.
 * @returns a function that ends it
 */
export function watchStanding(
  desk: Desk,
  ask: () => Promise<Standing> = () => json<Standing>(`/api/projects/${desk.state.projectId}/standing`),
): () => void {
  let over = false;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const look = async () => {
    try {
      const { role, locked } = await ask();
      if (over) return;
      if (desk.state.out !== null) desk.set({ out: null });
      if (locked !== desk.state.locked) {
        desk.set({ locked });
        desk.notify(
          locked === null ? "info" : "problem",
          locked === null
            ? `You are ${role} here now and may change things.`
            : `What you are here was changed. ${locked}`,
        );
      }
    } catch (error) {
      // Not reached is not out: work goes on and is kept.
      if (over || !(error instanceof ApiError) || (error.status !== 401 && error.status !== 404)) return;
      if (desk.state.playing) desk.playback.pause();
      desk.set({
        out: error.status === 404 ? "You may no longer see this project, or it was deleted." : error.message,
      });
      if (error.status === 404 || (error.body as { ended?: unknown } | null)?.ended === "removed") over = true;
    } finally {
      if (!over) timer = setTimeout(() => void look(), STANDING_MS);
    }
  };
  timer = setTimeout(() => void look(), STANDING_MS);
  return () => {
    over = true;
    clearTimeout(timer);
  };
}
