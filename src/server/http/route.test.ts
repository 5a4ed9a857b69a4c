import { describe, expect, test } from "vitest";
import { z } from "zod";
import { ImportError, NO_ROOM } from "../../formats/importError";
import { cutOff } from "./atHand";
import { attachment, failure, HttpError, idFrom, readBody, readJson } from "./route";

const post = (body: BodyInit, type = "application/json") =>
  new Request("http://127.0.0.1/x", {
    method: "POST",
    body,
    duplex: "half",
    headers: { "Content-Type": type },
  } as RequestInit);

describe("requests", () => {
  test("a body is read whole, and cut off as soon as it is too long", async () => {
    expect(await readBody(post("hello"), 5)).toEqual(new TextEncoder().encode("hello"));
    let sent = 0;
    const endless = new ReadableStream<Uint8Array>({
      pull(controller) {
        sent++;
        controller.enqueue(new Uint8Array(1024));
      },
    });
    await expect(readBody(post(endless), 10_000)).rejects.toMatchObject({ status: 413 });
    expect(sent).toBeLessThan(30);
  });
  test("JSON is checked, and the answer says where it is wrong", async () => {
    const schema = z.object({ name: z.string().max(3, "A name may have at most 3 characters."), n: z.int() });
    expect(await readJson(post('{"name":"abc","n":1}'), schema)).toEqual({ name: "abc", n: 1 });
    await expect(readJson(post('{"name":"abc","n":1}', "text/plain"), schema)).rejects.toMatchObject({ status: 415 });
    await expect(readJson(post("{"), schema)).rejects.toThrow("The request is not valid JSON.");
    await expect(readJson(post('{"name":"abcd","n":1}'), schema)).rejects.toThrow(
      "A name may have at most 3 characters.",
    );
    await expect(readJson(post('{"name":"abc","n":"x"}'), schema)).rejects.toThrow(/not valid at n:/);
  });
  test("ids are ids or nothing", () => {
    expect(idFrom("abcdefghij0123456789", "project")).toBe("abcdefghij0123456789");
    for (const bad of ["", "../../etc", "ABCDEFGHIJ0123456789", "abc' OR 1=1 --"])
      expect(() => idFrom(bad, "project")).toThrow(HttpError);
  });
  test("names of downloads keep any alphabet and break no header", () => {
    expect(attachment('Pumpe "ß"\n.zip')).toBe(
      `attachment; filename="Pumpe ____.zip"; filename*=UTF-8''${encodeURIComponent('Pumpe "ß"\n.zip')}`,
    );
  });
  test("errors: the user's are told, the database's are told apart, others are not shown", async () => {
    const of = async (e: unknown) => {
      const r = failure(e);
      return [r.status, ((await r.json()) as { error: string }).error] as const;
    };
    expect(await of(new ImportError("empty", "The file is empty."))).toEqual([422, "The file is empty."]);
    expect(await of(cutOff())).toEqual([400, "The connection was cut before all of it was here."]);
    expect((await of(Object.assign(new Error("x"), { code: "ECONNREFUSED" })))[0]).toBe(503);
    for (const full of [{ code: "ENOSPC" }, { code: "ER_RECORD_FILE_FULL", errno: 1114 }, { errno: 1021 }])
      expect(await of(Object.assign(new Error("x"), full))).toEqual([507, NO_ROOM]);
    const [status, text] = await of(new Error("secret detail"));
    expect(status).toBe(500);
    expect(text).not.toContain("secret");
  });
});
