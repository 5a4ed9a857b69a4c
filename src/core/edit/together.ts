/** Several commands on one document as one. */
export function together<D>(commands: readonly ((draft: D) => void)[]): (draft: D) => void {
  return (draft) => {
    for (const command of commands) command(draft);
  };
}
