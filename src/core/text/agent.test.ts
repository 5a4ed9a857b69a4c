import { expect, test } from "vitest";
import { agentText } from "./agent";

test.each([
  ["Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0", "Firefox on Linux"],
  [
    "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0 Safari/537.36",
    "Chromium on Linux",
  ],
  ["Mozilla/5.0 (Windows NT 10.0) AppleWebKit/537.36 Chrome/140.0 Safari/537.36 Edg/140.0", "Edge on Windows"],
  [
    "Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) AppleWebKit/605 Version/18 Mobile Safari/604",
    "Safari on iPhone",
  ],
  ["curl/8.5", "curl/8.5"],
  ["", "unknown"],
  [`x${"y".repeat(100)}`, `x${"y".repeat(39)}`],
])("%s", (agent, text) => expect(agentText(agent)).toBe(text));
