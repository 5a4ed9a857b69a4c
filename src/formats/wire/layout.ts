import { z } from "zod";
import { AssemblySchema } from "../../core/assembly/assembly";

/**
 * A package on its way: the same numbers to the last bit as the package it was made from, in about a fifth of the
 * bytes, in an order in which much can be shown before all is there.
 *
 *   u32 magic "PXW1", u32 length of the head
 *   head: deflated JSON, see {@link HeadSchema}: the assembly with the bounds of all shapes
 *   the shapes, from the largest to the smallest, each: face table, positions, normals, indices, edges. Vertices and
 *   indices are in the codecs of meshoptimizer (vertex and index sequence, nothing rounded), then each block deflated.
 */
export const WIRE_MAGIC = 0x31575850;

const count = z.number().int().min(0).max(500_000_000);

export const ShapeSchema = z.object({
  id: z.string(),
  vertices: count,
  /** Of the list of indices. */
  indices: count,
  /** Ends of feature edges. */
  edges: count,
  /** Numbers in the face table. */
  faces: count,
  /** Ends of edges are told by the number of the corner on which they lie; else by their places. */
  byCorner: z.boolean(),
  /** Bytes of the blocks: face table, positions, normals, indices, edges. */
  blocks: z.tuple([count, count, count, count, count]),
});
export type WireShape = z.infer<typeof ShapeSchema>;

export const HeadSchema = z.object({
  assembly: AssemblySchema,
  shapes: z.array(ShapeSchema),
  /** Numbers of the shapes in the order in which they come. */
  order: z.array(count),
});
export type WireHead = z.infer<typeof HeadSchema>;
