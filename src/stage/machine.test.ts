import { expect, test } from "vitest";
import { drawsInSoftware, isSoftware } from "./machine";

test("what draws with the processor is told by its name", () => {
  expect(isSoftware("ANGLE (Mesa, llvmpipe (LLVM 15.0.6, 256 bits), OpenGL ES 3.2)")).toBe(true);
  expect(isSoftware("ANGLE (Google, Vulkan 1.3.0 (SwiftShader Device (Subzero)), SwiftShader driver)")).toBe(true);
  expect(isSoftware("ANGLE (Microsoft, Microsoft Basic Render Driver, D3D11)")).toBe(true);
  expect(isSoftware("ANGLE (Intel, Mesa Intel(R) UHD Graphics, OpenGL ES 3.2)")).toBe(false);
  expect(isSoftware("Apple M2")).toBe(false);
});

test("without a page nothing is asked", () => {
  expect(drawsInSoftware()).toBe(false);
});
