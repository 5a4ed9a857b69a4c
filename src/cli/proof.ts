import type { Severity } from "../core/proof/check";
import { CHECKS, checkOf } from "../core/proof/checks";
import { meantOf } from "../core/proof/meant";
import { prove } from "../core/proof/proof";
import { Shapes } from "../core/proof/shapes";
import { channelNameIn } from "../core/text/channelWords";
import { findingText, unjudgedText } from "../core/text/findings";
import { targetNameIn } from "../core/text/names";
import { ticksToSeconds } from "../core/time/time";
import { ProjectFileError } from "../formats/out/project/file";
import { openProject } from "./openProject";

/** What the proof of a project's sequence finds, and whether something at or above a severity is open. */
export async function proofOf(
  file: string,
  options: { sequence?: string | undefined; only?: string | undefined; failOn?: string | undefined },
): Promise<{ result: unknown; failed: boolean }> {
  const only = options.only?.split(",").map((s) => s.trim());
  const unknown = only?.find((id) => !checkOf(id));
  if (unknown !== undefined)
    throw new ProjectFileError(
      `There is no check "${unknown.slice(0, 40)}". There are: ${CHECKS.map((c) => c.id).join(", ")}.`,
    );
  const failOn = options.failOn ?? "wrong";
  if (failOn !== "wrong" && failOn !== "look")
    throw new ProjectFileError(`--fail-on is "wrong" or "look", not "${failOn.slice(0, 40)}".`);
  const { program, geometries } = await openProject(file, options.sequence);
  const { findings: found, unjudged } = prove(program, {
    ...{ only, chosen: program.preparation.proof ?? {} },
    shapes: new Shapes(program.index, geometries),
  });
  for (const u of unjudged)
    console.error(
      `Not judged: ${unjudgedText(
        u.what,
        u.targets.map((t) => targetNameIn(program, t)),
      )} (${checkOf(u.check)?.title ?? u.check})`,
    );
  const counts: readonly Severity[] = failOn === "look" ? ["wrong", "look"] : ["wrong"];
  const meant = meantOf(program.sequence, found);
  return {
    failed: found.some((f) => !meant.has(f) && counts.includes(f.severity)),
    result: found.map((f) => ({
      check: f.check,
      severity: f.severity,
      step: program.sequence.steps[f.step]?.title ?? f.step,
      from: f.from,
      to: f.to,
      seconds: [ticksToSeconds(f.from), ticksToSeconds(f.to)],
      targets: f.targets.map((t) => targetNameIn(program, t)),
      numbers: f.numbers,
      message: findingText(
        f,
        (t) => targetNameIn(program, t),
        (c) => channelNameIn(program.preparation, c),
      ),
      meant: meant.get(f)?.reason ?? null,
    })),
  };
}
