import { describe, expect, it } from "vitest";
import { against, bytes, counted, duration, less, parseBytes } from "@/shared/format/figures";
import { stake } from "@/shared/format/findings";

describe("figures are written the same everywhere", () => {
  it.each([
    [0, "0 B"],
    [999, "999 B"],
    [1_000, "1.0 kB"],
    [9_949, "9.9 kB"],
    [9_950, "10 kB"],
    [999_499, "999 kB"],
    [999_500, "1.0 MB"],
    [1_048_576, "1.0 MB"],
    [999_950_000, "1.0 GB"],
    [-214_000, "-214 kB"],
  ])("%d bytes are %s: kB are 1,000 bytes (SI)", (n, words) => expect(bytes(n)).toBe(words));

  it.each([
    [100, 50, "50 % less"],
    [100, 100, "nothing saved"],
    [0, 0, "nothing saved"],
    [100, 120, "nothing saved"],
    [100_000, 1, "99.9 % less"],
    [100, 0, "100 % less"],
  ])("from %d to %d is %s", (before, after, words) => expect(less(before, after)).toBe(words));

  it("says by how much a budget is missed or kept", () => {
    expect(against(1_214_000, 1_000_000)).toBe("214 kB over");
    expect(against(1_000_000, 1_000_000)).toBe("0 B to spare");
  });

  it("counts one and many, and tells short and long times", () => {
    expect([counted(1, "page"), counted(2_000, "entry", "entries")]).toEqual(["1 page", "2,000 entries"]);
    expect([duration(0.2), duration(89), duration(90)]).toEqual(["1 second", "89 seconds", "2 minutes"]);
  });

  it("says where bytes at stake are an estimate", () => {
    expect(stake({ stake: 5_000_000, measured: false })).toBe("about 5.0 MB");
    expect(stake({ stake: 5_000_000, measured: true })).toBe("5.0 MB");
    expect(stake({ stake: 0, measured: true })).toBe("");
  });
});

describe("sizes as people type them", () => {
  it.each([
    ["1.5 MB", 1_500_000],
    ["300kb", 300_000],
    [" 1,200 ", 1_200],
    ["7 b", 7],
  ])("%s", (text, size) => expect(parseBytes(text)).toBe(size));

  it.each(["", "kB", "-5 kB", "0", "1.2.3 MB", "5 GB", "many"])("%s is none", (text) => {
    expect(parseBytes(text)).toBeNull();
  });

  it("comes back as it was written", () => {
    for (const size of [1_000, 6_000, 120_000, 5_000_000]) expect(parseBytes(bytes(size))).toBe(size);
  });
});
