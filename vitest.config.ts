import { defineConfig } from "vitest/config";

export default defineConfig({
  test: {
    projects: [
      {
        test: {
          name: "unit",
          // What is under test keeps nothing between tests, so modules are loaded once for all files of a worker: loading
          // them again for each took two thirds of the time.
          isolate: false,
          // By itself it would leave one of two processors to whoever looks on.
          maxWorkers: 2,
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
          include: ["tests/integration/**/*.test.ts", "tests/cluster/**/*.test.ts"],
          environment: "node",
          testTimeout: 180_000,
          hookTimeout: 180_000,
          // Each file has a database of its own; much of a test is waiting for a kernel to start or a lease to run out.
          maxWorkers: 3,
        },
      },
      {
        test: {
          name: "upgrade",
          include: ["tests/upgrade/**/*.test.ts"],
          environment: "node",
          hookTimeout: 180_000,
        },
      },
    ],
  },
});
