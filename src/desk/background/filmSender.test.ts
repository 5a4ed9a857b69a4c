import { describe, expect, test } from "vitest";
import { preparation, sequenceOf } from "../../../tests/support/assembly";
import type { FilmSent } from "../../core/edit/film";
import { FilmSender } from "./filmSender";

function client() {
  const sent: FilmSent[] = [];
  const it = {
    by: 1,
    fails: false,
    start: () => it.by,
    ask(_: "film", film: FilmSent): Promise<unknown> {
      sent.push(film);
      return it.fails ? Promise.reject(new Error("gone")) : Promise.resolve();
    },
  };
  return { it, sent };
}

describe("films on their way to a worker", () => {
  const own = preparation();
  const a = { name: "a", preparation: own, sequence: sequenceOf([{}]) };
  const b = { ...a, name: "b", sequence: { ...a.sequence, name: "Other" } };

  test("the first goes whole, the next in what differs, the same not at all", () => {
    const { it, sent } = client();
    const films = new FilmSender(it);
    expect([films.send(a), films.send(a), films.send(b)]).toEqual(["a", "a", "b"]);
    expect(sent).toEqual([a, { name: "b", from: "a", changes: [{ path: ["name"], value: "Other" }] }]);
  });
  test("goes whole under another preparation, to a worker that was started anew, and after a failure", async () => {
    const { it, sent } = client();
    const films = new FilmSender(it);
    films.send(a);
    films.send({ ...b, preparation: preparation() });
    it.by = 2;
    films.send(a);
    it.fails = true;
    films.send(b);
    await Promise.resolve();
    await Promise.resolve();
    films.send(a);
    expect(sent.map((f) => "from" in f)).toEqual([false, false, false, true, false]);
  });
});
