/** Places where columns go through faces: cell, place along the line, and which way the face looks. */
export class Hits {
  count = 0;
  c = new Int32Array(4096);
  w = new Float64Array(4096);
  s = new Int8Array(4096);
  constructor(readonly cells: number) {}

  add(cell: number, place: number, sense: number): void {
    const i = this.count++;
    if (i === this.c.length) {
      const [c, w, s] = [new Int32Array(2 * i), new Float64Array(2 * i), new Int8Array(2 * i)];
      c.set(this.c);
      w.set(this.w);
      s.set(this.s);
      Object.assign(this, { c, w, s });
    }
    this.c[i] = cell;
    this.w[i] = place;
    this.s[i] = sense;
  }

  /** Numbers of the hits by cell and, within one, by place; and where each cell begins. */
  ordered(): { order: Int32Array; first: Int32Array } {
    const first = new Int32Array(this.cells + 1);
    for (let i = 0; i < this.count; i++)
      first[(this.c[i] as number) + 1] = (first[(this.c[i] as number) + 1] as number) + 1;
    for (let k = 0; k < this.cells; k++) first[k + 1] = (first[k + 1] as number) + (first[k] as number);
    const fill = first.slice();
    const order = new Int32Array(this.count);
    for (let i = 0; i < this.count; i++) {
      const c = this.c[i] as number;
      let k = (fill[c] as number)++;
      while (k > (first[c] as number) && (this.w[order[k - 1] as number] as number) > (this.w[i] as number)) {
        order[k] = order[k - 1] as number;
        k--;
      }
      order[k] = i;
    }
    return { order, first };
  }
}

/** Puts hits of columns into stretches inside the body: by the faces' senses where they agree, else by turns. */
export function stretches(hits: Hits, cellOf: (local: number) => number): number[] {
  const { order, first } = hits.ordered();
  const out: number[] = [];
  for (let local = 0; local < hits.cells; local++) {
    const i = first[local] as number;
    const end = first[local + 1] as number;
    if (i === end) continue;
    const c = cellOf(local);
    // The sense of the first face is that of going in.
    const into = hits.s[order[i] as number] as number;
    let depth = 0;
    let sound = true;
    for (let k = i; k < end; k++) {
      depth += (hits.s[order[k] as number] as number) === into ? 1 : -1;
      if (depth < 0) sound = false;
    }
    sound &&= depth === 0;
    depth = 0;
    let start = 0;
    for (let k = i; k < end; k++) {
      const w = hits.w[order[k] as number] as number;
      const goesIn = sound ? (hits.s[order[k] as number] as number) === into : depth === 0;
      if (goesIn && depth++ === 0) start = w;
      else if (!goesIn && --depth === 0) out.push(c, start, w);
    }
    // A sheet without thickness still blocks.
    if (depth > 0) out.push(c, start, start);
  }
  return out;
}
