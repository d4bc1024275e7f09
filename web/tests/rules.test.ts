import { describe, expect, it } from "vitest";
import { chosen, SWITCHES, TYPED, unchosen, withPart } from "@/shared/rules/settings";

const typed = (name: string) => {
  const found = TYPED.find((one) => one.name === name);
  if (!found) throw new Error(name);
  return found;
};

describe("settings of rules are read as they are written", () => {
  it.each([
    ["max_width", "1,920", 1920],
    ["widths", "480, 960; 1920", [480, 960, 1920]],
    ["leave_below", "6 kB", 6_000],
    ["format_share", "10 %", 0.1],
    ["replacement_share", "5", 0.05],
    ["dense_less", "0", 0],
  ])("%s from %s", (name, text, value) => expect(typed(name).read(text)).toEqual(value));

  it.each([
    ["max_width", ""],
    ["max_width", "wide"],
    ["widths", "480, x"],
    ["widths", "480, -1"],
    ["widths", "480.5"],
    ["leave_below", "0"],
    ["format_share", "ten"],
  ])("%s takes no %s", (name, text) => expect(typed(name).read(text)).toBeNull());

  it("goes round for every typed setting", () => {
    const values = { max_width: 1920, density: 2, widths: [480, 960], most_widths: 6, dense_less: 10 };
    for (const [name, value] of Object.entries(values)) {
      expect(typed(name).read(typed(name).write(value))).toEqual(value);
    }
    expect(typed("format_share").write(0.1)).toBe("10");
    expect(typed("leave_below").write("6 kB")).toBe("6 kB");
  });

  it("has one usual choice in each switch, which is among its choices", () => {
    for (const one of SWITCHES) expect(one.choices.map(([key]) => key)).toContain(one.usual);
  });

  it("keeps truth values, numbers and words apart", () => {
    for (const value of [true, false, 10, 0, "suited"]) expect(unchosen(chosen(value))).toBe(value);
    expect(chosen(undefined)).toBe("");
  });
});

describe("one part of the rules is replaced", () => {
  const tables = {
    site: { form: "markup" },
    all: { fidelity: "faithful" },
    rule: [{ role: "hero" }, { role: "icon" }],
  };

  it("leaves the others, and drops what says nothing", () => {
    const now = withPart(tables, "rule", 1, { role: "logo", cap: undefined });
    expect(now).toEqual({ ...tables, rule: [{ role: "hero" }, { role: "logo" }] });
    expect(Object.keys(now.rule?.[1] ?? {})).toEqual(["role"]);
    expect(tables.rule[1]).toEqual({ role: "icon" });
  });

  it("puts a new rule at the end, and roles among what holds for all", () => {
    expect(withPart(tables, "rule", 2, { kind: "lettering" }).rule).toHaveLength(3);
    expect(withPart(tables, "roles", 0, { lossless: true }).all).toEqual({ lossless: true });
    expect(withPart(tables, "site", 0, {}).site).toEqual({});
  });
});
