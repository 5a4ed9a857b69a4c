import type { Desk } from "../port";

/** Forgets changes that were set aside: they were made again, or are not wanted. */
export async function dropAside(desk: Desk, id: string): Promise<void> {
  await desk.documents.outbox.drop(id).catch(() => {});
  desk.set({ asides: desk.state.asides.filter((a) => a.id !== id) });
}
