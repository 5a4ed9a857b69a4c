/** The process that reads CAD files, apart from the server so that it can be killed. Talks over Node's IPC. */
import { encodePackage } from "../../core/assembly/package";
import { ImportError } from "../../formats/importError";
import { readSource } from "../../formats/read";
import { startKernel } from "../../formats/step/kernel";
import type { FromChild, ToChild } from "./messages";

const send = (message: FromChild) => process.send?.(message);

process.on("message", async (message: ToChild) => {
  try {
    const { bytes, fileName, settings } = message;
    const pkg = await readSource(bytes, fileName, startKernel, (stage, share) => send({ type: "progress", stage, share }), settings);
    send({ type: "done", package: encodePackage(pkg), assembly: pkg.assembly });
  } catch (error) {
    const known = error instanceof ImportError;
    send({
      type: "failed",
      code: known ? error.code : "unreadable",
      message: known
        ? error.message
        : `The file made the reader fail (${error instanceof Error ? error.message.slice(0, 200) : String(error)}). Export it again, or in another format.`,
      fatal: !known,
    });
  }
});
process.on("disconnect", () => process.exit(0));

await startKernel();
send({ type: "ready" });
