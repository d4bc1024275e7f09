import type { Schemas } from "@/shared/api/client";
import { bytes } from "./figures";

/** Bytes at stake as they are written: "about" where they are estimated; empty for none. */
export function stake(of: Pick<Schemas["FindingGroup"], "stake" | "measured">): string {
  if (of.stake <= 0) return "";
  return of.measured ? bytes(of.stake) : `about ${bytes(of.stake)}`;
}
