import type { Look, LookNode } from "../core/document/looks";
import { SURROUNDINGS_DEFAULT, type Surroundings as SurroundingsSettings } from "../core/document/surroundings";
import type { AssemblyScene } from "./assemblyScene";
import type { Surroundings } from "./surroundings";

/** A plain, fast picture to work in, apart from the look that is published. */
const WORKING: SurroundingsSettings = {
  ...SURROUNDINGS_DEFAULT,
  light: "bench",
  occlusion: 0,
  contact: 0,
  ground: "shadow",
};

interface Worn {
  nodes: Readonly<Record<string, LookNode>>;
  settings: SurroundingsSettings;
}

/**
 * What the scene wears: finishes and surroundings as prepared, of a look that a move puts on, or a plain working
 * light.
 */
export class Wardrobe {
  private prepared: Worn = { nodes: {}, settings: SURROUNDINGS_DEFAULT };
  /** The look that a move makes the picture wear now; null for the one it began with. */
  private timed: Look | null = null;
  private plain = false;

  constructor(
    private readonly assembly: AssemblyScene,
    private readonly surroundings: Surroundings,
  ) {}

  get working(): boolean {
    return this.plain;
  }

  /** Takes over what is prepared. What did not change costs nothing. */
  setPrepared(nodes: Worn["nodes"], settings: SurroundingsSettings): void {
    this.change(() => {
      this.prepared = { nodes, settings };
    });
  }

  /** Puts on a look that a move says, or takes it off. */
  setTimed(look: Look | null): void {
    if (look === this.timed) return;
    this.change(() => {
      this.timed = look;
    });
  }

  /** A clear and fast picture to work in, or the one that is published. */
  setWorking(on: boolean): void {
    this.plain = on;
    this.light();
    this.surroundings.moved();
  }

  /** Lights the scene: plainly while that is asked for, else as it is worn. */
  light(plain = this.plain): void {
    this.surroundings.set(plain ? WORKING : this.worn().settings, plain);
    this.assembly.setMirroring(!plain);
  }

  /** Runs `draw` with what is published on, whatever light is worked in. */
  asPublished(draw: () => void): void {
    if (this.plain) this.light(false);
    draw();
    if (this.plain) this.light();
  }

  private worn(): Worn {
    return {
      nodes: this.timed?.nodes ?? this.prepared.nodes,
      settings: this.timed?.surroundings ?? this.prepared.settings,
    };
  }

  private change(act: () => void): void {
    const before = this.worn();
    act();
    const now = this.worn();
    if (now.nodes !== before.nodes) {
      this.assembly.setLooks(now.nodes);
      this.surroundings.moved();
    }
    if (now.settings !== before.settings) {
      if (!this.plain) this.light();
      this.surroundings.moved();
    }
  }
}
