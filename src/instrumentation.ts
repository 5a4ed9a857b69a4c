/** Called by Next.js once when an app process starts. */
export async function register(): Promise<void> {
  if (process.env.NEXT_RUNTIME !== "nodejs") return;
  const { startRuntime } = await import("./server/runtime");
  startRuntime();
}
