import { expect, type Page } from "@playwright/test";
import type { DeskPage } from "./desk";

export const SECOND = 705_600_000;

/** What an expression about the desk gives. */
export const read = <T>(page: Page, what: string): Promise<T> =>
  page.evaluate(
    (w) => new Function("desk", `return ${w}`)((window as unknown as { plextanDesk: unknown }).plextanDesk),
    what,
  ) as Promise<T>;

/** A channel's value of several things at a time of the sequence. */
export const valuesAt = (page: Page, targets: object[], channel: string, seconds: number): Promise<number[]> =>
  read(
    page,
    `(desk.seek(${Math.round(seconds * SECOND)}), ${JSON.stringify(targets)}.map((t) => desk.valueOf(t, ${JSON.stringify(channel)})))`,
  );

/** Counts what a job takes: a press of a shortcut, a click, a drag, a menu choice, a value typed with Enter. */
export class Counting {
  acts = 0;

  constructor(
    private readonly page: Page,
    private readonly desk: DeskPage,
  ) {}

  async act(what: () => Promise<unknown>): Promise<void> {
    this.acts++;
    await what();
  }
  type(label: string, text: string): Promise<void> {
    return this.act(() => this.desk.type(label, text));
  }
  press(keys: string): Promise<void> {
    return this.act(() => this.desk.press(keys));
  }
  click(button: string): Promise<void> {
    return this.act(() => this.page.getByRole("button", { name: button, exact: true }).click());
  }

  /** Opens another sequence for a job; that is not counted, nor what the job starts from. */
  async begin(name: string): Promise<void> {
    await this.page.getByRole("button", { name: "Sequence", exact: true }).click();
    await this.page.getByRole("menuitem", { name: "New sequence" }).click();
    await this.page.getByLabel("Sequence name").fill(name);
    await this.page.keyboard.press("Enter");
    await expect(this.page.getByRole("button", { name: "Sequence", exact: true })).toHaveText(name);
    await read(this.page, `desk.set({ partTab: "move" })`);
    this.acts = 0;
  }
  /** Prints what a job took, and holds it to its limit. */
  done(job: string, most: number): void {
    console.log(`${this.acts} acts (at most ${most}): ${job}`);
    expect(this.acts).toBeLessThanOrEqual(most);
  }
}
