// Writes src/ivory_thistle/core/reports/browser_shares.py: how many visitors' browsers show AVIF, and WebP at most.
// To bring the figures up to date, in a folder of its own:
//   npm install caniuse-lite && node /path/to/scripts/browser_shares.mjs > /path/to/browser_shares.py
import { execFileSync } from "node:child_process";
import { createRequire } from "node:module";
import { join } from "node:path";

const require = createRequire(join(process.cwd(), "package.json"));
const { agents, feature, features } = require("caniuse-lite");
const { version } = require("caniuse-lite/package.json");
const times = JSON.parse(execFileSync("npm", ["view", `caniuse-lite@${version}`, "time", "--json"]).toString());

// "a" is partial support: still pictures are shown.
const shows = (name) => {
  const { stats } = feature(features[name]);
  return (browser, release) => ["y", "a"].includes(stats[browser]?.[release]?.[0]);
};
const [avif, webp] = [shows("avif"), shows("webp")];
const shares = { avif: 0, webp: 0, baseline: 0 };
for (const [browser, { usage_global: usage }] of Object.entries(agents)) {
  for (const [release, share] of Object.entries(usage)) {
    const tier = avif(browser, release) ? "avif" : webp(browser, release) ? "webp" : "baseline";
    shares[tier] += share;
  }
}
const total = Object.values(shares).reduce((a, b) => a + b);
const row = (tier) => `    "${tier}": ${(shares[tier] / total).toFixed(4)},`;
process.stdout.write(`"""Shares of visitors by audience tier, worldwide. Made by scripts/browser_shares.mjs."""

from __future__ import annotations

from collections.abc import Mapping

BROWSER_SHARES: Mapping[str, float] = {
${Object.keys(shares).map(row).join("\n")}
}
SHARES_DATE = "${times[version].slice(0, 10)}"
SHARES_SOURCE = "caniuse-lite ${version}, from caniuse.com, licensed CC BY 4.0"
`);
