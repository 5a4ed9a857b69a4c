import { DeskPage, visit } from "./desk";
import { expect, test } from "./test";

test("a reviewer of the demo looks at everything and changes nothing; the animator goes on as before", async ({
  page,
}) => {
  const desk = new DeskPage(page);
  await visit(page);
  await page.getByRole("button", { name: "Signed in as Ines Maro, animator" }).click();
  await expect(page.getByText("This is a demo: sign in as someone else")).toBeVisible();
  await expect(page.getByRole("menuitem")).toHaveText([
    "My account",
    "Sign out",
    "Tarik Brandt, owner",
    "Jun Odell, animator",
    "Petra Lindqvist, reviewer",
  ]);
  await page.getByRole("menuitem", { name: "Petra Lindqvist, reviewer" }).click();
  await expect(page.getByRole("button", { name: "Signed in as Petra Lindqvist, reviewer" })).toBeVisible();
  await expect(page.getByRole("button", { name: "New project" })).toBeDisabled();
  await expect(page.getByRole("button", { name: "New project" })).toHaveAttribute("title", /may not make projects/);

  await desk.openDemo();
  await expect(page.getByText("Looking only")).toBeVisible();
  const steps = await page.locator("[data-step]").count();
  await page.getByRole("button", { name: "Add step" }).click();
  await expect(page.getByText(/You are a reviewer here and may not change a project/).first()).toBeVisible();
  await expect(page.locator("[data-step]")).toHaveCount(steps);
  // The server says the same to whoever asks it past the page.
  const answered = await page.evaluate(async () => {
    const id = (window as unknown as { plextanDesk: { state: { projectId: string } } }).plextanDesk.state.projectId;
    const r = await fetch(`/api/projects/${id}`, {
      method: "PATCH",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ name: "Mine" }),
    });
    return [r.status, ((await r.json()) as { error: string }).error] as const;
  });
  expect(answered).toEqual([
    403,
    "You are a reviewer here and may not change a project. Ask the owner or an animator.",
  ]);
  // Looking goes on: it plays, and can be published from.
  await page.getByRole("button", { name: "Publish", exact: true }).click();
  await expect(page.locator("[data-testid=publish-canvas][data-drawn]")).toBeVisible();
  await page.keyboard.press("Escape");

  await page.getByRole("button", { name: "Signed in as Petra Lindqvist, reviewer" }).click();
  await page.getByRole("menuitem", { name: "Ines Maro, animator" }).click();
  await expect(page.getByRole("button", { name: "Signed in as Ines Maro, animator" })).toBeVisible();
  await desk.ready();
  await expect(page.getByText("Looking only")).toHaveCount(0);
  await page.getByRole("button", { name: "Add step" }).click();
  await expect(page.locator("[data-step]")).toHaveCount(steps + 1);
  await desk.press("Control+z");
  await expect(page.locator("[data-step]")).toHaveCount(steps);
  await desk.saved();
});
