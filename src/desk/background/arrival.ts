import type { Assembly } from "../../core/assembly/assembly";
import type { Arriving } from "./loadAssembly";

type Shapes = Extract<Arriving, { stage: "shapes" }>["shapes"];

/** An assembly on its way, for whoever shows it: what has come is kept until somebody looks, who is told of the rest. */
export class Arrival {
  assembly: Assembly | null = null;
  private kept: Shapes = [];
  private look: ((shapes: Shapes) => void) | null = null;

  take(arriving: Arriving): void {
    if (arriving.stage === "tree") this.assembly = arriving.assembly;
    if (arriving.stage !== "shapes") return;
    if (this.look) this.look(arriving.shapes);
    else this.kept.push(...arriving.shapes);
  }

  /** Shows what has come and what comes. @returns what ends that */
  watch(look: (shapes: Shapes) => void): () => void {
    this.look = look;
    look(this.kept);
    this.kept = [];
    return () => {
      this.look = null;
    };
  }
}
