import { spawn } from "node:child_process";
import { chmod, mkdir, mkdtemp, readdir, readFile, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterAll, beforeAll, expect, test } from "vitest";
import { ImportError } from "../../formats/importError";
import type { SolidSource } from "../../formats/step/model";
import { STEP_DEFAULTS } from "../../formats/step/options";
import { findNative, nativeReader, scriptFor } from "./native";

let folder = "";
let logged: string[] = [];
beforeAll(async () => {
  folder = await mkdtemp(path.join(tmpdir(), "plextan-native-test-"));
  await mkdir(path.join(folder, "spool"));
  process.env.PLEXTAN_SPOOL = path.join(folder, "spool");
});
afterAll(async () => {
  delete process.env.PLEXTAN_SPOOL;
  await rm(folder, { recursive: true, force: true });
});

const source = (change: Partial<SolidSource> = {}): SolidSource => ({
  ...{ format: "step", fileName: "a b; rm -rf $HOME.step", bytes: new TextEncoder().encode("hello"), parts: [] },
  ...change,
});

/** Reads by a shell that does what is written here in place of a kernel's. */
async function by(script: string, file = source()): Promise<{ told: string | null; stages: string[] }> {
  logged = [];
  const command = path.join(folder, "kernel");
  await writeFile(command, `#!/bin/sh\nread folder && cd "$folder" || exit 7\n${script}\n`);
  await chmod(command, 0o755);
  const stages: string[] = [];
  const read = nativeReader({ command, libraries: folder, resources: folder }, (why) => logged.push(why));
  const bytes = await read?.(file, STEP_DEFAULTS, (stage, share) => stages.push(`${stage} ${share}`));
  return { told: bytes ? new TextDecoder().decode(bytes) : null, stages };
}
const left = () => readdir(path.join(folder, "spool"));

test("what it stores is what comes back; stages are told; files lie beside one another; nothing is left", async () => {
  const parts = [{ name: "arm.stp", bytes: new TextEncoder().encode(" there") }];
  const { told, stages } = await by(
    `[ "$1 $2 $3" = "-b -f ${folder}/wait.tcl" ] || exit 1
grep -q "ReadStep D in.stp" run.tcl || exit 1
echo plextan:read; echo noise; echo plextan:mesh; echo plextan:store
cat in.stp arm.stp > out.xbf; echo plextan:done`,
    source({ parts }),
  );
  expect(told).toBe("hello there");
  expect(stages).toEqual(["mesh 0", "mesh 0.4"]);
  expect([logged, await left()]).toEqual([[], []]);
});

test("a part's name cannot lead out of its folder", async () => {
  const parts = [{ name: "../../escaped.stp", bytes: new Uint8Array(1) }];
  await by("ls > out.xbf; echo plextan:done", source({ parts })).then(({ told }) =>
    expect(told).toMatch(/escaped.stp/),
  );
  expect(await readdir(folder)).not.toContain("escaped.stp");
});

test.each([
  [
    "says that it failed",
    "echo plextan:read; echo plextan:failed no such thing",
    /could not read a file: .*no such thing/,
  ],
  ["dies half-way", "echo plextan:read; echo half > out.xbf; kill -SEGV $$", /ended unforeseen/],
  [
    "ends without a word, as when it lacks a plug-in",
    "echo 'cannot open libTKXDEDRAW.so'; exit 0",
    /unforeseen: .*libTKXDEDRAW/,
  ],
])("one that %s is no answer: the kernel inside reads", async (_, script, why) => {
  expect((await by(script)).told).toBeNull();
  expect(logged).toHaveLength(1);
  expect(logged[0]).toMatch(why);
  expect(await left()).toEqual([]);
});

test("one that stands by is used once, and another in its place where it died meanwhile", async () => {
  const command = path.join(folder, "standing");
  const starts = path.join(folder, "starts");
  const begun = async () => (await readFile(starts, "utf8").catch(() => "")).length;
  const until = async (is: () => Promise<boolean>) => {
    for (let i = 0; i < 200 && !(await is()); i++) await new Promise((r) => setTimeout(r, 20));
  };
  await writeFile(
    command,
    `#!/bin/sh\nprintf x >> ${starts}\nread folder || exit 7\ncd "$folder"\necho $$ > out.xbf; echo plextan:done\n`,
  );
  await chmod(command, 0o755);
  const read = nativeReader({ command, libraries: folder, resources: folder }, (w) => logged.push(w));
  const pid = async () => Number(new TextDecoder().decode((await read?.(source(), STEP_DEFAULTS)) ?? undefined));
  logged = [];
  read?.warm();
  read?.warm();
  await until(async () => (await begun()) === 1);
  const first = await pid();
  expect(await begun()).toBe(1);
  expect(await pid()).not.toBe(first);
  expect(await begun()).toBe(2);
  // The one that stands by is ended from outside.
  read?.warm();
  await until(async () => (await begun()) === 3);
  await new Promise<void>((resolve) => spawn("pkill", ["-KILL", "-f", command]).once("close", () => resolve()));
  await new Promise((r) => setTimeout(r, 100));
  expect(await pid()).toBeGreaterThan(0);
  expect(await begun()).toBe(4);
  expect([logged, await left()]).toEqual([[], []]);
});

test("one that is not there is no answer either", async () => {
  const read = nativeReader({ command: "/nowhere", libraries: folder, resources: folder }, (w) => logged.push(w));
  expect(await read?.(source(), STEP_DEFAULTS)).toBeNull();
  expect(nativeReader(null)).toBeNull();
});

test.each([
  ["memory", "echo plextan:read; echo 'terminate: std::bad_alloc'; kill -ABRT $$"],
  ["time", "echo plextan:read; kill -XCPU $$"],
])("one that needs too much %s is said, not read again", async (_, script) => {
  const error = await by(script).catch((e: unknown) => e);
  expect(error).toBeInstanceOf(ImportError);
  expect((error as ImportError).code).toBe("too-large");
  expect(await left()).toEqual([]);
});

test("memory and time are bounded by the system", async () => {
  const { told } = await by("{ ulimit -v; ulimit -t; ulimit -c; } > out.xbf; echo plextan:done");
  expect(told?.trim().split("\n")).toEqual([String(6 * 1024 ** 2), "900", "0"]);
});

test("the fineness asked for is what the script says; each kind of file has its reader", () => {
  expect(scriptFor("step", { deflection: 0.002, angleDeg: 14 })).toContain("incmesh s 0.01 -relative -a 14 -parallel");
  expect(scriptFor("iges", STEP_DEFAULTS)).toContain("ReadIges D in.igs");
  expect(scriptFor("brep", STEP_DEFAULTS)).toContain("restore in.brep b");
});

test("it can be switched off", () => {
  process.env.PLEXTAN_NATIVE_KERNEL = "off";
  expect(findNative(path.join(folder, "links"))).toBeNull();
  delete process.env.PLEXTAN_NATIVE_KERNEL;
});
