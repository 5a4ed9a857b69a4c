const _number = new Float64Array(1);
const _words = new Uint32Array(_number.buffer);

/** Two sums of 32 bits over everything given (FNV-1a, and the same over turned words). */
export class Hash {
  private a = 0x811c9dc5;
  private b = 0x9747b28c;

  /** Takes in 32 bits. */
  word(v: number): void {
    this.a = Math.imul(this.a ^ v, 0x01000193);
    this.b = Math.imul(((this.b << 13) | (this.b >>> 19)) ^ v, 0x85ebca6b);
  }
  text(s: string): this {
    for (let i = 0; i < s.length; i++) this.word(s.charCodeAt(i));
    this.word(-1);
    return this;
  }
  sum(): number {
    return this.a ^ this.b;
  }
  number(v: number): void {
    _number[0] = v;
    this.word(_words[0] as number);
    this.word(_words[1] as number);
  }
  numbers(list: Float64Array): void {
    const words = new Uint32Array(list.buffer, list.byteOffset, 2 * list.length);
    for (let i = 0; i < words.length; i += 2)
      this.word((words[i] as number) ^ Math.imul(words[i + 1] as number, 0x9e3779b1));
    this.word(-2);
  }
  /** Takes another in, whatever the order of those that are. */
  gather(other: Hash): void {
    this.a = (this.a + other.a) | 0;
    this.b = (this.b + other.b) | 0;
  }
  name(): string {
    return `${(this.a >>> 0).toString(36)}.${(this.b >>> 0).toString(36)}`;
  }
}
