import type { SerializedBVH } from "three-mesh-bvh";
import { type AssemblyIndex, indexAssembly } from "../../core/assembly/assembly";
import { type AssemblyPackage, decodePackage } from "../../core/assembly/package";
import { preparedAssembly } from "../../core/assembly/prepared";
import type { Preparation } from "../../core/document/preparation";
import { withIdentities } from "../../core/revision/identity";
import type { AssemblyState } from "../state";

/** The revision of the assembly that is open, as CAD has it and as it is prepared. */
export class OpenAssembly {
  /** The package as it is prepared: with copies of parts and moved homes. */
  pkg: AssemblyPackage;
  index: AssemblyIndex;
  /** The package as it came, for workers. */
  readonly bytes: Uint8Array;
  /** The package as CAD has it, with the names that documents know its nodes by. */
  private readonly fromCad: AssemblyPackage;

  constructor(
    bytes: ArrayBuffer,
    assembly: AssemblyState,
    readonly trees: (SerializedBVH | null)[],
    preparation: Preparation,
  ) {
    this.bytes = new Uint8Array(bytes);
    const pkg = decodePackage(this.bytes);
    this.fromCad = { ...pkg, assembly: withIdentities(pkg.assembly, assembly.identities) };
    this.pkg = this.fromCad;
    this.index = this.prepare(preparation);
  }

  /** Makes the tree anew as a preparation has it. */
  prepare(preparation: Preparation): AssemblyIndex {
    this.pkg = { ...this.fromCad, assembly: preparedAssembly(this.fromCad.assembly, preparation) };
    this.index = indexAssembly(this.pkg.assembly);
    return this.index;
  }
}
