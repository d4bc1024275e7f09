import type { Schemas } from "@/shared/api/client";
import { bytes } from "./figures";

export const ROLES = [
  "hero",
  "background",
  "content",
  "thumbnail",
  "logo",
  "icon",
  "decoration",
  "social card",
] as const;
export type Role = (typeof ROLES)[number];

/** Bytes at stake as they are written: "about" where they are estimated; empty for none. */
export function stake(of: Pick<Schemas["FindingGroup"], "stake" | "measured">): string {
  if (of.stake <= 0) return "";
  return of.measured ? bytes(of.stake) : `about ${bytes(of.stake)}`;
}
