import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

const packages = fileURLToPath(new URL("node_modules/", import.meta.url));

export default defineConfig({
  root: fileURLToPath(new URL("..", import.meta.url)),
  server: { fs: { strict: false } },
  // the tests stand beside the others, outside this folder: their packages are here
  resolve: { alias: [{ find: /^(@testing-library\/react|@tanstack\/react-query|react)$/, replacement: `${packages}$1` }] },
  test: { include: ["tests/front/**/*.test.{ts,tsx}"], environment: "node", testTimeout: 60_000 },
});
