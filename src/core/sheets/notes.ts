/** What a step's note says that a workshop looks for, and the rest of it. */
export interface NoteWords {
  tools: string[];
  torque: string[];
  /** What is left, in its own lines. */
  rest: string;
}

const TOOLS = /^\s*tools?\s*:\s*(.+)$/i;
const TORQUE = /^\s*torques?\s*:\s*(.+)$/i;
/** A torque within a sentence: a number and newton metres (or in-lb, ft-lb), however they are written. */
const WITHIN =
  /\d+(?:[.,]\d+)?(?:\s*(?:±|-|–|to)\s*\d+(?:[.,]\d+)?)?\s*(?:[cmk]?N\s?[·.*⋅]?\s?m|(?:in|ft)[\s·-]?lbf?)(?![A-Za-z])/g;

/**
 * Tools and torques out of a note: lines that begin with "Tool:", "Tools:" or "Torque:" (several parted by ";" or, for
 * tools, by ","), and torques within sentences, which stay where they are.
 */
export function noteWords(note: string): NoteWords {
  const tools: string[] = [];
  const torque: string[] = [];
  const rest: string[] = [];
  for (const line of note.split(/\r?\n/)) {
    const tool = TOOLS.exec(line)?.[1];
    const tight = TORQUE.exec(line)?.[1];
    if (tool !== undefined) tools.push(...parted(tool, /[;,]/));
    else if (tight !== undefined) torque.push(...parted(tight, /;/));
    else {
      rest.push(line);
      torque.push(...(line.match(WITHIN) ?? []));
    }
  }
  return {
    tools: once(tools),
    torque: once(torque),
    rest: rest
      .join("\n")
      .replace(/\n{3,}/g, "\n\n")
      .trim(),
  };
}

/** A comma within a number ("4,5 mm") parts nothing. */
const parted = (text: string, by: RegExp): string[] =>
  text
    .replace(/(\d),(\d)/g, "$1\u0000$2")
    .split(by)
    .map((t) => t.replaceAll("\u0000", ",").trim().replace(/\.$/, ""))
    .filter((t) => t !== "");

const once = (list: readonly string[]): string[] => {
  const seen = new Set<string>();
  return list.filter((t) => !seen.has(t.toLowerCase()) && seen.add(t.toLowerCase()));
};
