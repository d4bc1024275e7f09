import { defineConfig, mergeConfig } from "vitest/config";
import vite from "./vite.config.ts";

export default mergeConfig(
  vite,
  defineConfig({ test: { environment: "happy-dom", include: ["tests/**/*.test.{ts,tsx}"], restoreMocks: true } }),
);
