import { describe, expect, test } from "vitest";
import { emailKey, emailSchema } from "./email";

describe("addresses", () => {
  test.each([
    ["Mira.Sol+work@Example.COM", "mira.sol+work@example.com"],
    ["  mira@example.com ", "mira@example.com"],
    ["jürgen@müller.example", "jürgen@xn--mller-kva.example"],
    ["ju\u0308rgen@müller.example", "jürgen@xn--mller-kva.example"],
    ["用户@例え.テスト", "用户@xn--r8jz45g.xn--zckzah"],
    ["o'neil@a-b.co", "o'neil@a-b.co"],
  ])("%s is taken and compared as %s", (typed, key) => expect(emailKey(emailSchema.parse(typed))).toBe(key));
  test("what stands after a plus, and only that, keeps two apart", () => {
    expect(emailKey("a+1@b.co")).not.toBe(emailKey("a+2@b.co"));
    expect(emailKey("A+1@b.co")).toBe(emailKey("a+1@B.CO"));
  });
  test.each([
    "",
    "mira",
    "@example.com",
    "mira@",
    "mira@example",
    "mira@ex ample.com",
    "a@b@c.co",
    "<mira@example.com>",
    "mira@example.com, tom@example.com",
    'mira"@example.com',
    ".mira@example.com",
    "mi..ra@example.com",
    "mira@-example.com",
    "mira@192.168.0.1",
    `${"m".repeat(65)}@example.com`,
    `m@${"e".repeat(250)}.com`,
    "mira@example.com\r\nBcc: tom@example.com",
    "m".repeat(5000),
  ])("%j is refused in words", (typed) => {
    const r = emailSchema.safeParse(typed);
    expect(r.error?.issues[0]?.message).toBe("That is not an e-mail address, such as mira@example.com.");
  });
});
