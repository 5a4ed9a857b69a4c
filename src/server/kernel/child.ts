/** The process that reads files, apart from the server so that it can be killed. Talks over Node's IPC. */
import { readFile, writeFile } from "node:fs/promises";
import { encodePackage } from "../../core/assembly/package";
import { isZip, packBundle, unpack } from "../../formats/bundle/bundle";
import { ProjectFileError, readProjectFile, writeProjectFile } from "../../formats/out/project/file";
import { readSource } from "../../formats/read";
import { startKernel } from "../../formats/step/kernel";
import { asImportError } from "../../formats/unexpected";
import { packForWire } from "../../formats/wire/pack";
import type { FromChild, ReaderTasks, TaskKind, ToChild } from "./messages";
import { findNative, nativeReader } from "./native";

// The server may be gone by now; there is nobody to tell then.
const send = (message: FromChild) => process.send?.(message, () => {});
const bytesOf = async (path: string) => new Uint8Array(await readFile(path));

const native = nativeReader(findNative());
const kernels = { start: startKernel, native };

const TASKS: { [K in TaskKind]: (request: ReaderTasks[K]["request"]) => Promise<ReaderTasks[K]["result"]> } = {
  async source({ path, fileName, settings, out }) {
    const pkg = await readSource(
      await bytesOf(path),
      fileName,
      kernels,
      (stage, share) => send({ type: "progress", stage, share }),
      settings,
    );
    await writeFile(out, encodePackage(pkg));
    return { assembly: pkg.assembly };
  },
  async open(request) {
    const file = readProjectFile(await bytesOf(request.path));
    await writeFile(request.source, file.source.bytes);
    await writeFile(request.package, file.package);
    const { name, settings, identities, documents } = file;
    const sounds = [];
    for (const { asset, bytes } of file.sounds ?? []) {
      const path = `${request.beside}-${asset.slice(0, 20)}`;
      await writeFile(path, bytes);
      sounds.push({ asset, path });
    }
    const packages = [];
    for (const { sha256, bytes } of file.packages ?? []) {
      const path = `${request.beside}-${sha256.slice(0, 20)}`;
      await writeFile(path, bytes);
      packages.push({ sha256, path });
    }
    const { rounds = [] } = file;
    return { name, sourceName: file.source.name, settings, identities, documents, rounds, sounds, packages };
  },
  async write({ project, source, package: pkg, sounds: paths, packages: others, out }) {
    const { name, sourceName, settings, identities, documents, rounds } = project;
    const packages = await Promise.all(
      others.map(async ({ sha256, path }) => ({ sha256, bytes: await bytesOf(path) })),
    );
    const sounds = await Promise.all(paths.map(async ({ asset, path }) => ({ asset, bytes: await bytesOf(path) })));
    await writeFile(
      out,
      writeProjectFile({
        ...(sounds.length > 0 ? { sounds } : {}),
        ...(rounds.length > 0 ? { rounds } : {}),
        ...(packages.length > 0 ? { packages } : {}),
        name,
        settings,
        identities,
        documents,
        source: { name: sourceName, bytes: await bytesOf(source) },
        package: await bytesOf(pkg),
      }),
    );
    return {};
  },
  async pack({ package: pkg, out }) {
    await writeFile(out, await packForWire(await bytesOf(pkg)));
    return {};
  },
  async merge({ files, out }) {
    const all = new Map<string, Uint8Array>();
    for (const f of files) {
      const bytes = await bytesOf(f.path);
      if (isZip(bytes))
        for (const [name, data] of unpack(bytes, "archive")) all.set(name.split("/").pop() ?? name, data);
      else all.set(f.name, bytes);
    }
    await writeFile(out, packBundle([...all].map(([name, bytes]) => ({ name, bytes }))));
    return {};
  },
};

process.on("message", async (message: ToChild) => {
  try {
    if (message.type === "warm") {
      await startKernel();
      native?.warm();
      send({ type: "warm" });
      return;
    }
    const work = TASKS[message.kind] as (request: unknown) => Promise<unknown>;
    const result = await work(message);
    send({ type: "done", result });
    if (message.kind === "source") native?.warm();
  } catch (error) {
    if (error instanceof ProjectFileError) {
      send({ type: "failed", code: "project", message: error.message, fatal: false });
      return;
    }
    const told = asImportError(error, "READER");
    if (told.unforeseen)
      console.error(
        "reader:",
        told.message,
        "Cause:",
        told.cause instanceof Error ? (told.cause.stack ?? told.cause.message) : String(told.cause ?? error),
      );
    send({ type: "failed", code: told.code, message: told.message, fatal: told.unforeseen });
  }
});
process.on("disconnect", () => process.exit(0));
send({ type: "ready" });
