import { describe, expect, test } from "vitest";
import { FRAME_HEADERS, FRAME_HTML } from "./frame";
import { addressesFrom, addressOf, judge, originOf, policy, securityHeaders } from "./guard";

const local = addressesFrom(undefined);
const real = addressesFrom("https://plextan.example.com, http://10.0.0.5:8080");
const head = (change: Partial<Parameters<typeof judge>[0]> = {}) => ({
  method: "POST",
  host: "127.0.0.1:4310",
  origin: "http://127.0.0.1:4310",
  fetchSite: undefined,
  ...change,
});

describe("which names are ours", () => {
  test.each([
    ["127.0.0.1:4310", "http://127.0.0.1:4310"],
    ["LOCALHOST:80", "http://localhost:80"],
    ["[::1]:4310", "http://[::1]:4310"],
    ["evil.example", null],
    ["127.0.0.1.evil.example", null],
    ["127.0.0.1:4310:1", null],
    ["127.0.0.1:4310/x", null],
    ["", null],
    [undefined, null],
  ])("%s", (host, origin) => expect(originOf(host, local)).toBe(origin));
  test("those that are set, and loopback beside them", () => {
    expect(originOf("plextan.example.com", real)).toBe("https://plextan.example.com");
    expect(originOf("10.0.0.5:8080", real)).toBe("http://10.0.0.5:8080");
    expect(originOf("10.0.0.5", real)).toBeNull();
    for (const bad of ["plextan", "ftp://x", "https://x/path", "https://me@x"])
      expect(() => addressesFrom(bad)).toThrow(/is not an origin/);
  });
});

describe("requests", () => {
  test.each([
    ["a page of ours", {}, 0],
    ["a page of ours that says so otherwise", { origin: undefined, fetchSite: "same-origin" }, 0],
    ["a page elsewhere", { origin: "http://evil.example" }, 403],
    ["another port of the same machine", { origin: "http://127.0.0.1:9999" }, 403],
    ["nobody", { origin: undefined }, 403],
    ["a frame without an origin", { origin: "null" }, 403],
    ["a rebound name", { host: "evil.example:4310", origin: "http://evil.example:4310" }, 421],
    ["reading from anywhere", { method: "GET", origin: "http://evil.example" }, 0],
    ["TRACE", { method: "TRACE" }, 405],
  ])("from %s", (_, change, status) => {
    const v = judge(head(change), local);
    expect(v.ok ? 0 : v.status).toBe(status);
  });
});

test.each([
  ["127.0.0.1", undefined, "127.0.0.1"],
  ["::ffff:127.0.0.1", "203.0.113.9", "203.0.113.9"],
  ["127.0.0.1", "10.1.1.1, 203.0.113.9", "203.0.113.9"],
  ["::1", "2001:db8::1", "2001:db8::1"],
  ["203.0.113.9", "10.1.1.1", "203.0.113.9"],
  ["127.0.0.1", "evil; DROP", "127.0.0.1"],
  [undefined, "10.1.1.1", ""],
])("a request from %s that says %s comes from %s", (remote, told, address) =>
  expect(addressOf(remote, told)).toBe(address),
);

test("behind https, browsers are told to stay there", () => {
  expect(securityHeaders("https://plextan.example.com", "n")["Strict-Transport-Security"]).toMatch(/max-age=31536000/);
  expect(securityHeaders("http://127.0.0.1:1", "n")["Strict-Transport-Security"]).toBeUndefined();
  expect(policy("abc")).toContain("'nonce-abc'");
});

test("what a user has made is shown in a frame that has no origin of ours and may load nothing", () => {
  const csp = FRAME_HEADERS["Content-Security-Policy"] ?? "";
  expect(csp).toContain("sandbox allow-scripts;");
  expect(csp).not.toMatch(/allow-same-origin|allow-top-navigation|https?:|\*|connect-src/);
  expect(csp).toContain("frame-ancestors 'self'");
  expect(csp).toContain("default-src 'none'");
  expect(policy("n")).toContain("frame-src 'self' blob:");
  expect(FRAME_HTML).toContain("e.source!==parent");
});
