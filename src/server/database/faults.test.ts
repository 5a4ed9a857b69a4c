import { expect, test } from "vitest";
import { faultOf, isAway, isBehind } from "./faults";

test.each([
  [{ code: "ER_LOCK_DEADLOCK", errno: 1213 }, "collided"],
  [{ code: "ER_LOCK_WAIT_TIMEOUT", errno: 1205 }, "collided"],
  [{ code: "ECONNREFUSED" }, "refused"],
  [{ code: "ETIMEDOUT", syscall: "connect" }, "refused"],
  // A node outside the majority.
  [{ code: "ER_UNKNOWN_COM_ERROR", errno: 1047 }, "refused"],
  [{ code: "PROTOCOL_CONNECTION_LOST" }, "cut"],
  [{ code: "ECONNRESET" }, "cut"],
  [{ code: "ETIMEDOUT", syscall: "read" }, "cut"],
  [{ code: "ER_SERVER_SHUTDOWN", errno: 1053 }, "cut"],
  [{ code: "ER_CONNECTION_KILLED", errno: 1927 }, "cut"],
  [{ code: "ER_DUP_ENTRY", errno: 1062 }, "own"],
  [{ code: "ER_PARSE_ERROR", errno: 1064 }, "own"],
  [{}, "own"],
])("%j is %s", (error, fault) => {
  expect(faultOf(Object.assign(new Error("x"), error))).toBe(fault);
  expect(isAway(Object.assign(new Error("x"), error))).toBe(fault === "refused" || fault === "cut");
});

test("a connection that the server had closed before anything was asked is one that was cut", () => {
  const closed = Object.assign(new Error("Can't add new command when connection is in closed state"), { fatal: true });
  expect(faultOf(closed)).toBe("cut");
});

test("what takes no locks and waits too long is at a node that is behind", () => {
  const late = Object.assign(new Error("x"), { code: "ER_LOCK_WAIT_TIMEOUT" });
  expect(isBehind(late, "SELECT 1")).toBe(true);
  expect(isBehind(late, "START TRANSACTION")).toBe(true);
  expect(isBehind(late, " select id from documents where id = 1 FOR UPDATE")).toBe(false);
  expect(isBehind(late, "UPDATE documents SET revision = 1")).toBe(false);
  expect(isBehind(new Error("x"), "SELECT 1")).toBe(false);
});
