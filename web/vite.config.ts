import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, gzipSync } from "node:zlib";
import react from "@vitejs/plugin-react";
import type { Plugin } from "vite";
import { defineConfig } from "vitest/config";

/** Packs each text file once, so that the server need not do it for every visitor. */
function packed(): Plugin {
  return {
    name: "packed",
    apply: "build",
    writeBundle({ dir = "dist" }) {
      const assets = join(dir, "assets");
      for (const name of readdirSync(assets).filter((file) => /\.(js|css)$/.test(file))) {
        const content = readFileSync(join(assets, name));
        writeFileSync(join(assets, `${name}.br`), brotliCompressSync(content));
        writeFileSync(join(assets, `${name}.gz`), gzipSync(content, { level: 9 }));
      }
    },
  };
}

export default defineConfig({
  plugins: [react(), packed()],
  // The server puts a nonce of its own here in every answer.
  html: { cspNonce: "__NONCE__" },
  build: { target: "es2023", assetsInlineLimit: 0, chunkSizeWarningLimit: 1500 },
  test: {
    environment: "jsdom",
    include: ["src/**/*.test.{ts,tsx}"],
    restoreMocks: true,
    // A busy machine is no fault of a test.
    testTimeout: 60_000,
    setupFiles: ["src/testing/server.ts"],
  },
  server: { proxy: { "/api": "http://127.0.0.1:4810" } },
});
