import { expect, test } from "vitest";
import { kindOf, metrics } from "./metrics";

test("addresses are counted by their kind, of which there are few whatever is asked for", () => {
  expect(
    [
      "/",
      "/api/projects/abc/documents?x=1",
      "/api/projects",
      "/api/%2e%2e/etc",
      "/_next/static/a.js",
      "/project/abc",
      "/wp-login.php?a",
      `/${"x".repeat(50)}`,
    ].map(kindOf),
  ).toEqual(["/", "/api/projects", "/api/projects", "/api", "/_next", "/project", "other", "other"]);
});

test("what is looked up replaces what was", async () => {
  const all = metrics();
  all.set({ database: true, reader: false, listeners: 3, jobs: { queued: 2, done: 5 } });
  all.set({ database: true, reader: true, listeners: 1, jobs: { done: 6 } });
  all.answered("GET", "/api/projects/x", 404, 0.02);
  const text = await all.registry.metrics();
  expect(text).toContain('plextan_jobs{state="done"} 6');
  expect(text).not.toContain("queued");
  expect(text).toContain("plextan_listeners 1");
  expect(text).toContain('plextan_request_seconds_count{method="GET",kind="/api/projects",status="4xx"} 1');
  expect(text).toContain('plextan_request_seconds_bucket{le="0.03",method="GET",kind="/api/projects",status="4xx"} 1');
});
