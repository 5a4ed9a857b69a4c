import { readFile, rm } from "node:fs/promises";
import { type Browser, expect, type Page, test } from "@playwright/test";
import AxeBuilder from "axe-core";
import { type Served, serve } from "../src/cli/serve";
import { openPool } from "../src/server/database/pool";
import { firstToken } from "../src/server/people/first";
import { smallProjectFile } from "../tests/support/project";
import { DeskPage } from "./desk";

/**
 * An installation of its own, in which people have accounts. No CAD is read: the project comes from a file.
 */
const FOLDER = "var/e2e-accounts";
let served: Served;

test.beforeAll(async () => {
  await rm(FOLDER, { recursive: true, force: true });
  served = await serve({ databaseFolder: FOLDER, accounts: true, env: { PLEXTAN_READERS: "0" } });
});
test.afterAll(async () => {
  await served?.stop();
  await rm(FOLDER, { recursive: true, force: true });
});

/** Somebody's own browser. */
async function someone(browser: Browser): Promise<Page> {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    reducedMotion: "reduce",
    baseURL: served.url,
    acceptDownloads: true,
  });
  // At an address of its own, so what the other tests are given is not known here.
  await context.addInitScript(
    (aids) => localStorage.setItem("plextan-aids", aids),
    JSON.stringify({ working: true, pictures: false, framing: false, proof: false }),
  );
  return context.newPage();
}
const open = async (page: Page, path: string) => {
  await page.goto(served.url + path);
  await page.locator("html[data-alive]").waitFor({ state: "attached" });
};
const fill = (page: Page, label: string, text: string) => page.getByLabel(label, { exact: true }).fill(text);
const whoIs = (page: Page, name: string) => page.getByRole("button", { name: `Signed in as ${name}` });

/** Serious findings of the accessibility check. */
async function axe(page: Page): Promise<string[]> {
  await page.evaluate(AxeBuilder.source);
  return page.evaluate(async () => {
    const axe = (
      window as unknown as {
        axe: { run(): Promise<{ violations: { id: string; impact: string; nodes: { html: string }[] }[] }> };
      }
    ).axe;
    const { violations } = await axe.run();
    return violations
      .filter((v) => v.impact === "serious" || v.impact === "critical")
      .map((v) => `${v.id}: ${v.nodes[0]?.html.slice(0, 120)}`);
  });
}

test("first start, invitation, sign-in, reset through the outbox, a role that changes at work, and being removed", async ({
  browser,
}) => {
  const pool = openPool(served.database.address, 1);
  const token = await firstToken(pool);
  await pool.end();
  const found: Record<string, string[]> = {};

  // First start: nobody gets in, and the page without the token makes nobody.
  const owner = await someone(browser);
  await open(owner, "/");
  await expect(owner).toHaveURL(`${served.url}/sign-in`);
  await expect(owner.getByText(/has no owner yet/)).toBeVisible();
  found["sign-in"] = await axe(owner);
  await open(owner, "/first");
  await expect(owner.getByText(/The address is not whole/)).toBeVisible();
  await open(owner, `/first#${token}`);
  await expect(owner.getByText(/The address is not whole/)).toHaveCount(0);
  await expect(owner).toHaveURL(`${served.url}/first`);
  await fill(owner, "Workspace", "Nordlicht Pumps");
  await fill(owner, "Your name", "Olga Venn");
  await fill(owner, "E-mail address", "Olga@Nordlicht.example");
  await fill(owner, "New password", "password123");
  await owner.getByRole("button", { name: "Make workspace and owner" }).click();
  await expect(owner.getByText(/list of those that are tried first/)).toBeVisible();
  found.first = await axe(owner);
  await fill(owner, "New password", "seven slow herons");
  await owner.getByRole("button", { name: "Make workspace and owner" }).click();
  await expect(whoIs(owner, "Olga Venn, owner")).toBeVisible();

  // She brings in a project and invites somebody.
  await owner.getByLabel("Project file").setInputFiles({
    name: "small.plextan.zip",
    mimeType: "application/zip",
    buffer: Buffer.from(smallProjectFile()),
  });
  await new DeskPage(owner).ready();
  const project = new URL(owner.url()).pathname;
  await open(owner, "/people");
  await fill(owner, "E-mail address", "lars+cad@nordlicht.example");
  await owner.getByRole("button", { name: "Invite", exact: true }).click();
  await expect(owner.getByText(/lies in the outbox/)).toBeVisible();
  found.people = await axe(owner);
  await owner.getByRole("link", { name: "Outbox" }).click();
  const invitation = await owner.locator(".mail-text a").first().getAttribute("href");
  found.outbox = await axe(owner);

  const animator = await someone(browser);
  await animator.goto(String(invitation));
  await expect(animator.getByRole("heading", { name: "Join Nordlicht Pumps" })).toBeVisible();
  await expect(animator.getByText("lars+cad@nordlicht.example")).toBeVisible();
  found.invited = await axe(animator);
  await fill(animator, "Your name", "Lars Ek");
  await fill(animator, "New password", "nine tin whistles");
  await animator.getByRole("button", { name: "Join" }).click();
  await expect(whoIs(animator, "Lars Ek, animator")).toBeVisible();
  // The link is good once; to him as to anybody.
  await animator.goto(String(invitation));
  await expect(animator.getByText(/was accepted already/)).toBeVisible();
  // An owner's page is not for him.
  await open(animator, "/people");
  await expect(animator.getByText(/You are an animator here and may not invite people/)).toBeVisible();

  // Signing out and in; a wrong password is told apart from nothing.
  await whoIs(animator, "Lars Ek, animator").click();
  await animator.getByRole("menuitem", { name: "Sign out" }).click();
  await expect(animator.getByRole("heading", { name: "Sign in" })).toBeVisible();
  for (const [email, password] of [
    ["lars+cad@nordlicht.example", "nine tin thistles"],
    ["nobody@nordlicht.example", "nine tin whistles"],
  ] as const) {
    await fill(animator, "E-mail address", email);
    await fill(animator, "Password", password);
    await animator.getByRole("button", { name: "Sign in" }).click();
    await expect(animator.getByText("This address and this password do not belong together.")).toBeVisible();
  }
  // Forgotten: the link lies in the owner's outbox.
  await animator.getByRole("link", { name: "Forgotten the password?" }).click();
  await expect(animator.getByRole("heading", { name: "A new password" })).toBeVisible();
  await fill(animator, "E-mail address", "LARS+CAD@nordlicht.example");
  await animator.getByRole("button", { name: "Send a link" }).click();
  await expect(animator.getByText(/If there is an account/)).toBeVisible();
  found.reset = await axe(animator);
  await owner.getByRole("button", { name: "Look for new mail" }).click();
  const mail = owner.locator(".mails li", { hasText: "A new password" });
  await mail.waitFor();
  await animator.goto(String(await mail.locator("a").first().getAttribute("href")));
  await expect(animator.getByRole("heading", { name: "Choose a new password" })).toBeVisible();
  await fill(animator, "New password", "eleven brass bells");
  await animator.getByRole("button", { name: "Take this password" }).click();
  await expect(whoIs(animator, "Lars Ek, animator")).toBeVisible();

  // From a page that needs it, signing in leads back to it.
  await whoIs(animator, "Lars Ek, animator").click();
  await animator.getByRole("menuitem", { name: "Sign out" }).click();
  await expect(animator.getByRole("heading", { name: "Sign in" })).toBeVisible();
  await animator.goto(`${served.url}/sign-in?to=${project}`);
  await fill(animator, "E-mail address", "lars+cad@nordlicht.example");
  await fill(animator, "Password", "eleven brass bells");
  await animator.getByRole("button", { name: "Sign in" }).click();
  const desk = new DeskPage(animator);
  await desk.ready();
  await expect(animator.getByRole("button", { name: "Signed in as Lars Ek, animator" })).toBeVisible();

  // What he is changes while he works: his desk says so, and goes on when it changes back.
  const choose = async (role: string, does: string) => {
    await owner.getByRole("combobox", { name: /^What Lars Ek, lars/ }).click();
    await owner.locator(".ant-select-item-option", { hasText: `${role} ${does}` }).click();
    await expect(owner.getByText(`Lars Ek is ${role} now.`).last()).toBeVisible();
  };
  await owner.getByRole("link", { name: "People" }).click();
  await choose("reviewer", "looks, comments, decides");
  await expect(animator.getByText("Looking only")).toBeVisible();
  const steps = await animator.locator("[data-step]").count();
  await animator.getByRole("button", { name: "Add step" }).click();
  await expect(animator.getByText(/You are a reviewer here and may not change a project/).first()).toBeVisible();
  await expect(animator.locator("[data-step]")).toHaveCount(steps);
  await choose("animator", "makes and edits");
  await expect(animator.getByText("Looking only")).toHaveCount(0);
  await animator.getByRole("button", { name: "Add step" }).click();
  await expect(animator.locator("[data-step]")).toHaveCount(steps + 1);
  await desk.saved();

  // The account page: two browsers, one of which he ends.
  const second = await someone(browser);
  await open(second, "/sign-in?to=//evil.example/x");
  await fill(second, "E-mail address", "lars+cad@nordlicht.example");
  await fill(second, "Password", "eleven brass bells");
  await second.getByRole("button", { name: "Sign in" }).click();
  await expect(second).toHaveURL(`${served.url}/`);
  await whoIs(second, "Lars Ek, animator").click();
  await second.getByRole("menuitem", { name: "My account" }).click();
  await expect(second.getByText("Chromium on Linux, this one")).toBeVisible();
  await expect(second.getByRole("button", { name: "End", exact: true })).toHaveCount(1);
  found.account = await axe(second);
  // Ended from elsewhere, the desk is shut until he signs in again; then it goes on where it was.
  await second.getByRole("button", { name: "End", exact: true }).click();
  await expect(animator.getByText("This session was ended from another browser. Sign in again.")).toBeVisible();
  await expect(animator.getByText("Everything that was done here is saved.")).toBeVisible();
  await animator.getByRole("link", { name: "Sign in" }).click();
  await fill(animator, "E-mail address", "lars+cad@nordlicht.example");
  await fill(animator, "Password", "eleven brass bells");
  await animator.getByRole("button", { name: "Sign in" }).click();
  await desk.ready();
  await expect(animator.locator("[data-step]")).toHaveCount(steps + 1);

  // Removed with work that is not saved: it is offered as a file, and he is out within ten seconds.
  await animator.route("**/edits", (r) => r.abort());
  await animator.getByRole("button", { name: "Add step" }).click();
  await expect(animator.locator("[data-step]")).toHaveCount(steps + 2);
  await owner.getByRole("button", { name: /^Remove Lars Ek/ }).click();
  await owner.getByRole("button", { name: "Remove", exact: true }).last().click();
  await expect(owner.getByText("Lars Ek is no longer here.")).toBeVisible();
  await expect(animator.getByText(/You no longer belong to this workspace/)).toBeVisible();
  await expect(animator.getByText("One change is not saved.")).toBeVisible();
  const [file] = await Promise.all([
    animator.waitForEvent("download"),
    animator.getByRole("button", { name: "Save what is not saved to a file" }).click(),
  ]);
  const saved = JSON.parse(await readFile(await file.path(), "utf8")) as {
    documents: { edits: { label: string }[] }[];
  };
  expect(saved.documents.flatMap((d) => d.edits.map((e) => e.label))).toEqual(["Add a step"]);
  await animator.getByRole("link", { name: "Leave without it" }).click();
  await fill(animator, "E-mail address", "lars+cad@nordlicht.example");
  await fill(animator, "Password", "eleven brass bells");
  await animator.getByRole("button", { name: "Sign in" }).click();
  await expect(animator.getByText("This address and this password do not belong together.")).toBeVisible();

  // All of it is written down.
  await owner.getByRole("link", { name: "What was done" }).click();
  await expect(owner.getByText("removed Lars Ek <lars+cad@nordlicht.example>")).toBeVisible();
  await owner.getByLabel("Find in the list").fill("new password by mail");
  await expect(owner.locator("tbody tr.ant-table-row")).toHaveCount(1);
  found.audit = await axe(owner);
  expect(found).toEqual(Object.fromEntries(Object.keys(found).map((k) => [k, []])));
  for (const page of [owner, animator, second]) await page.context().close();
});

test("who sees a project is chosen in the list of projects", async ({ browser }) => {
  const owner = await someone(browser);
  await open(owner, "/sign-in");
  await fill(owner, "E-mail address", "olga@nordlicht.example");
  await fill(owner, "Password", "seven slow herons");
  await owner.getByRole("button", { name: "Sign in" }).click();
  await whoIs(owner, "Olga Venn, owner").waitFor();
  const made = await owner.request.post(`${served.url}/api/people/invitations`, {
    data: { email: "ida@nordlicht.example", role: "reviewer" },
    headers: { Origin: served.url },
  });
  const ida = await someone(browser);
  await ida.goto(((await made.json()) as { link: string }).link);
  await fill(ida, "Your name", "Ida Holm");
  await fill(ida, "New password", "two quiet engines");
  await ida.getByRole("button", { name: "Join" }).click();
  await expect(ida.getByRole("link", { name: "Small", exact: true })).toBeVisible();
  await ida.getByRole("link", { name: "Small", exact: true }).click();
  await new DeskPage(ida).ready();

  const limit = async (act: () => Promise<void>) => {
    await owner.getByRole("button", { name: "More about Small" }).click();
    await owner.getByRole("menuitem", { name: "Who sees it" }).click();
    await act();
    await owner.getByRole("button", { name: "Save" }).click();
    await expect(owner.getByRole("dialog")).toHaveCount(0);
  };
  await limit(() => owner.getByLabel("Owners, and of the others only:").check());
  await expect(owner.getByText("limited ·")).toBeVisible();
  await expect(ida.getByText(/You may no longer see this project/)).toBeVisible();
  await open(ida, "/");
  await expect(ida.getByText("No projects yet.")).toBeVisible();
  await limit(() => owner.getByLabel(/^Ida Holm, reviewer/).check());
  await ida.reload();
  await expect(ida.getByRole("link", { name: "Small", exact: true })).toBeVisible();
  for (const page of [owner, ida]) await page.context().close();
});
