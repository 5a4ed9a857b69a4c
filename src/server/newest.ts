/** A map that keeps the newest entries alone: what was put in longest ago makes room. */
export class Newest<K, V> {
  private readonly entries = new Map<K, V>();

  /** @param most entries that are kept */
  constructor(private readonly most: number) {}

  get(key: K): V | undefined {
    return this.entries.get(key);
  }

  set(key: K, value: V): void {
    this.entries.delete(key);
    for (const oldest of this.entries.keys()) {
      if (this.entries.size < this.most) break;
      this.entries.delete(oldest);
    }
    this.entries.set(key, value);
  }

  delete(key: K): void {
    this.entries.delete(key);
  }
}
