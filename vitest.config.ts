import { defineConfig } from "vitest/config";

export default defineConfig({
  test: {
    projects: [
      {
        test: {
          name: "unit",
          testTimeout: process.env.PLEXTAN_SEARCH ? 900_000 : 30_000,
          setupFiles: ["tests/support/properties.ts"],
          include: ["src/**/*.test.ts", "tests/unit/**/*.test.ts"],
          exclude: ["**/*.kernel.test.ts"],
          environment: "node",
        },
      },
      {
        test: {
          name: "integration",
          include: ["tests/integration/**/*.test.ts"],
          environment: "node",
          testTimeout: 180_000,
          hookTimeout: 180_000,
          // One kernel, one database at a time: two cores.
          fileParallelism: false,
        },
      },
    ],
  },
});
