/** Reads bits of an H.264 NAL unit, its emulation prevention bytes taken out (ITU-T H.264, 7.3.1 and 9.1). */
export class BitReader {
  private readonly bytes: number[] = [];
  private at = 0;

  /** @param nal without its length and with its header byte; what lies beyond `most` bytes is not looked at */
  constructor(nal: Uint8Array, most = 256) {
    for (let i = 1; i < Math.min(nal.length, most); i++) {
      if (i >= 3 && nal[i] === 3 && nal[i - 1] === 0 && nal[i - 2] === 0) continue;
      this.bytes.push(nal[i] as number);
    }
  }

  /** An unsigned number of so many bits. @throws RangeError beyond the end */
  bits(n: number): number {
    let v = 0;
    for (let i = 0; i < n; i++, this.at++) {
      const byte = this.bytes[this.at >> 3];
      if (byte === undefined) throw new RangeError("The unit ends within a number.");
      v = v * 2 + ((byte >> (7 - (this.at & 7))) & 1);
    }
    return v;
  }
  flag(): boolean {
    return this.bits(1) === 1;
  }
  /** An unsigned Exp-Golomb number. */
  ue(): number {
    let zeros = 0;
    while (this.bits(1) === 0) if (++zeros > 32) throw new RangeError("This is no number.");
    return 2 ** zeros - 1 + this.bits(zeros);
  }
  /** A signed one. */
  se(): number {
    const v = this.ue();
    return v % 2 === 1 ? (v + 1) / 2 : -v / 2;
  }
}

/** Writes bits of a NAL unit. */
export class BitWriter {
  private readonly out: number[] = [];
  private byte = 0;
  private filled = 0;

  bits(v: number, n: number): this {
    for (let i = n - 1; i >= 0; i--) {
      this.byte = this.byte * 2 + (Math.floor(v / 2 ** i) % 2);
      if (++this.filled < 8) continue;
      this.out.push(this.byte);
      this.byte = 0;
      this.filled = 0;
    }
    return this;
  }
  /** An unsigned Exp-Golomb number. */
  ue(v: number): this {
    const length = Math.floor(Math.log2(v + 1));
    return this.bits(0, length).bits(v + 1, length + 1);
  }

  /** The unit with its header byte: closed by a one and zeros, with emulation prevention bytes put in. */
  unit(header: number): Uint8Array {
    this.bits(1, 1);
    while (this.filled > 0) this.bits(0, 1);
    const bytes = [header];
    let zeros = 0;
    for (const b of this.out) {
      if (zeros >= 2 && b <= 3) {
        bytes.push(3);
        zeros = 0;
      }
      bytes.push(b);
      zeros = b === 0 ? zeros + 1 : 0;
    }
    return Uint8Array.from(bytes);
  }
}
