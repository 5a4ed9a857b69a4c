/** The package has no types of its own; see its README. */
declare module "gifenc" {
  type Palette = [number, number, number][];
  interface Frame {
    palette?: Palette;
    first?: boolean;
    transparent?: boolean;
    transparentIndex?: number;
    /** ms */
    delay?: number;
    /** -1 once, 0 for ever, else how often again */
    repeat?: number;
    dispose?: number;
  }
  export function quantize(rgba: Uint8Array | Uint8ClampedArray, colours: number): Palette;
  export function applyPalette(rgba: Uint8Array | Uint8ClampedArray, palette: Palette): Uint8Array;
  export function GIFEncoder(options?: { auto?: boolean }): {
    writeHeader(): void;
    writeFrame(index: Uint8Array, width: number, height: number, frame?: Frame): void;
    finish(): void;
    bytes(): Uint8Array;
    reset(): void;
  };
}
