import { nth } from "../../../core/math/packed";
import { BitReader, BitWriter } from "./bits";

/** What of a stream's parameter sets its slice headers follow from. */
interface Stream {
  lengthBytes: number;
  spsId: number;
  ppsId: number;
  colourPlanes: boolean;
  frameNumBits: number;
  orderType: number;
  orderBits: number;
  macroblocks: number;
  fieldOrder: boolean;
  deblocking: boolean;
  redundant: boolean;
}

const SLICE = 1;
const KEY_SLICE = 5;
/** Profiles whose sequence parameters tell their colour format (ITU-T H.264, 7.3.2.1.1). */
const HIGH = [100, 110, 122, 244, 44, 83, 86, 118, 128];

/**
 * Frames of an H.264 stream that show what the frame before them shows, to the last bit: a slice in which every
 * macroblock is skipped (ITU-T H.264, 7.3.3 and 7.3.4). An encoder that keeps to a rate makes stills a little better
 * with every frame, which is seen as a pulse; these stand, and are a dozen bytes each. What follows them must be a key
 * frame, for the encoder does not know of them.
 */
export class HeldFrames {
  private frameNum = 0;
  private order = 0;
  private ready = false;

  private constructor(private readonly stream: Stream) {}

  /**
   * @param description of a decoder's configuration: an `avcC` box (ISO/IEC 14496-15)
   * @returns null for streams that it cannot add to: arithmetic coding, fields, weights, slice groups
   */
  static of(description: Uint8Array): HeldFrames | null {
    try {
      const stream = streamOf(description);
      return stream && new HeldFrames(stream);
    } catch {
      return null;
    }
  }

  /** Takes note of a frame that the encoder made. @returns whether held ones may follow it */
  after(packet: Uint8Array): boolean {
    this.ready = false;
    for (const nal of unitsOf(packet, this.stream.lengthBytes)) {
      const kind = nth(nal, 0) & 31;
      if (kind !== SLICE && kind !== KEY_SLICE) continue;
      // One that nothing may refer to cannot be held.
      this.ready = ((nth(nal, 0) >> 5) & 3) !== 0 && this.take(new BitReader(nal), kind === KEY_SLICE);
      break;
    }
    return this.ready;
  }

  private take(r: BitReader, key: boolean): boolean {
    const { stream } = this;
    r.ue();
    r.ue();
    if (r.ue() !== stream.ppsId) return false;
    if (stream.colourPlanes) r.bits(2);
    this.frameNum = r.bits(stream.frameNumBits);
    if (key) r.ue();
    if (stream.orderType === 0) this.order = r.bits(stream.orderBits);
    return true;
  }

  /** One more frame like the one before. @throws Error when that cannot be held */
  next(): Uint8Array {
    if (!this.ready) throw new Error("There is no frame to be held.");
    const { stream } = this;
    this.frameNum = (this.frameNum + 1) % 2 ** stream.frameNumBits;
    this.order = (this.order + 2) % 2 ** stream.orderBits;
    const w = new BitWriter();
    // First macroblock, a slice of predicted macroblocks alone, its parameters.
    w.ue(0).ue(5).ue(stream.ppsId);
    if (stream.colourPlanes) w.bits(0, 2);
    w.bits(this.frameNum, stream.frameNumBits);
    if (stream.orderType === 0) w.bits(this.order, stream.orderBits);
    if (stream.orderType === 0 && stream.fieldOrder) w.ue(0);
    if (stream.redundant) w.ue(0);
    // One frame to refer to, which is the one before; lists as they come; it is kept as such frames are.
    w.bits(1, 1).ue(0).bits(0, 1).bits(0, 1);
    // The quality stays, and nothing is smoothed again.
    w.ue(0);
    if (stream.deblocking) w.ue(1);
    w.ue(stream.macroblocks);
    const unit = w.unit((2 << 5) | SLICE);
    const out = new Uint8Array(stream.lengthBytes + unit.length);
    for (let i = 0; i < stream.lengthBytes; i++) out[i] = (unit.length >>> (8 * (stream.lengthBytes - 1 - i))) & 255;
    out.set(unit, stream.lengthBytes);
    return out;
  }
}

/** The units of a packet, each after its length. */
function* unitsOf(packet: Uint8Array, lengthBytes: number): Generator<Uint8Array> {
  for (let at = 0; at + lengthBytes < packet.length; ) {
    let length = 0;
    for (let i = 0; i < lengthBytes; i++) length = length * 256 + nth(packet, at + i);
    at += lengthBytes;
    yield packet.subarray(at, at + length);
    at += length;
  }
}

function streamOf(d: Uint8Array): Stream | null {
  const lengthBytes = (nth(d, 4) & 3) + 1;
  const sets = nth(d, 5) & 31;
  let at = 6;
  const unit = () => {
    const length = 256 * nth(d, at) + nth(d, at + 1);
    at += 2 + length;
    return d.subarray(at - length, at);
  };
  // With several sets a slice says which it means: an encoder gives one.
  if (sets !== 1) return null;
  const sps = unit();
  if (nth(d, at++) !== 1) return null;
  const pps = unit();
  const sequence = sequenceOf(sps);
  const picture = pictureOf(pps);
  if (!sequence || !picture || picture.spsId !== sequence.spsId) return null;
  return { lengthBytes, ...sequence, ...picture };
}

function sequenceOf(sps: Uint8Array) {
  const r = new BitReader(sps);
  const profile = r.bits(8);
  r.bits(16);
  const spsId = r.ue();
  let colourPlanes = false;
  if (HIGH.includes(profile)) {
    const format = r.ue();
    if (format === 3) colourPlanes = r.flag();
    r.ue();
    r.ue();
    r.flag();
    // Scaling lists would have to be read over; no encoder here writes them.
    if (r.flag()) return null;
  }
  const frameNumBits = r.ue() + 4;
  const orderType = r.ue();
  // Type 1 counts in cycles.
  if (orderType === 1) return null;
  const orderBits = orderType === 0 ? r.ue() + 4 : 0;
  r.ue();
  r.flag();
  const wide = r.ue() + 1;
  const high = r.ue() + 1;
  if (!r.flag()) return null;
  return { spsId, colourPlanes, frameNumBits, orderType, orderBits, macroblocks: wide * high };
}

function pictureOf(pps: Uint8Array) {
  const r = new BitReader(pps);
  const ppsId = r.ue();
  const spsId = r.ue();
  const arithmetic = r.flag();
  const fieldOrder = r.flag();
  const groups = r.ue();
  if (arithmetic || groups > 0) return null;
  r.ue();
  r.ue();
  if (r.flag()) return null;
  r.bits(2);
  r.se();
  r.se();
  r.se();
  const deblocking = r.flag();
  r.flag();
  return { ppsId, spsId, fieldOrder, deblocking, redundant: r.flag() };
}
