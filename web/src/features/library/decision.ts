import type { Schemas } from "@/shared/api/client";
import { bytes } from "@/shared/format/figures";

/** "→ 480 to 1,440 px in 3 widths, about 62 kB at most. As content, by what holds for all images." */
export function decisionWords(d: Schemas["Decision"]): string {
  const weight = d.bytes
    ? `, ${d.bytes.low === d.bytes.high ? "" : "about "}${bytes(d.bytes.likely)} at most`
    : "";
  return `→ ${d.said}${weight}. ${d.why}`;
}
