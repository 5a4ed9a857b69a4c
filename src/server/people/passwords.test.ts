import { describe, expect, test } from "vitest";
import { faultOfPassword, hashPassword, isPassword } from "./passwords";

describe("passwords that are chosen", () => {
  test.each([
    ["short", /at least 10 characters/],
    ["ninechars", /at least 10 characters/],
    ["x".repeat(201), /at most 200/],
    ["1234567890", /list of those that are tried first/],
    ["PassWord123", /list of those/],
    ["qwertyuiop", /list of those/],
    ["aaaaaaaaaaaa", /list of those/],
    ["abababababab", /list of those/],
    ["Plextan2026!", /name or an address/],
    ["Lindqvist1999", /name or an address/],
    ["petra@rill.example", /name or an address/],
    ["correct horse", null],
    ["корова летит", null],
    ["👩‍🔧 turns the valve", null],
  ])("%s", (password, said) => {
    const fault = faultOfPassword(password, ["Petra Lindqvist", "petra@rill.example"]);
    if (said === null) expect(fault).toBeNull();
    else expect(fault).toMatch(said);
  });
  test("ten letters of several units count as ten", () => {
    expect(faultOfPassword("𝒶𝒷𝒸𝒹𝑒𝒻𝑔𝒽𝒾")).toMatch(/at least/);
  });
});

describe("what is kept", () => {
  test("is argon2id with a salt of its own, and says yes to its password in any form and to no other", async () => {
    const [a, b] = await Promise.all([hashPassword("blåbær på fjellet"), hashPassword("blåbær på fjellet")]);
    expect(a).toMatch(/^\$argon2id\$v=19\$m=65536,t=4,p=1\$/);
    expect(a).not.toBe(b);
    expect(await isPassword("blåbær på fjellet".normalize("NFD"), a)).toBe(true);
    expect(await isPassword("blåbær på fjellet ", a)).toBe(false);
    expect(await isPassword("", a)).toBe(false);
  });
  test("without an account no password is right, not even the stand-in's", async () => {
    expect(await isPassword("nobody has this password", null)).toBe(false);
  });
});
