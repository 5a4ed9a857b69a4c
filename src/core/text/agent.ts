const BROWSERS: readonly [RegExp, string][] = [
  [/\bEdgA?\//, "Edge"],
  [/\bOPR\//, "Opera"],
  [/\bFirefox\/|\bFxiOS\//, "Firefox"],
  [/\b(?:Headless)?Chrom(?:e|ium)\/|\bCriOS\//, "Chromium"],
  [/\bSafari\//, "Safari"],
];
const SYSTEMS: readonly [RegExp, string][] = [
  [/\biPhone\b/, "iPhone"],
  [/\biPad\b/, "iPad"],
  [/\bAndroid\b/, "Android"],
  [/\bWindows\b/, "Windows"],
  [/\bMac OS X\b/, "macOS"],
  [/\bLinux\b|\bX11\b/, "Linux"],
];

/** A browser's own long name for itself in two words: "Firefox on Linux". What is not known is said as it is, cut. */
export function agentText(agent: string): string {
  const find = (list: readonly [RegExp, string][]) => list.find(([pattern]) => pattern.test(agent))?.[1];
  const browser = find(BROWSERS);
  const system = find(SYSTEMS);
  if (browser && system) return `${browser} on ${system}`;
  const text = (browser ?? system ?? agent.trim()).slice(0, 40);
  return text === "" ? "unknown" : text;
}
