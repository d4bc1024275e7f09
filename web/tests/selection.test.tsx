import { act, renderHook } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { readFilter, withDefaults } from "@/features/library/library-filter";
import { useSelection } from "@/features/library/selection";
import { readProofView } from "@/features/proof/proof-view";
import { readSavingsView } from "@/features/savings/savings-view";
import { ALL_IMAGES, asked, narrows, readNarrowing } from "@/shared/library/narrowing";
import { lineIndex, readView } from "@/shared/ui/view";

describe("images selected one by one or as a filtered set", () => {
  const all = withDefaults({});
  const start = (total = 100) =>
    renderHook(({ filter }) => useSelection(filter, total, false), { initialProps: { filter: all } });

  it("counts and sends those that were chosen", () => {
    const { result } = start();
    act(() => result.current.toggle([3, 5, 8], true));
    act(() => result.current.toggle([5], false));
    expect(result.current.count).toBe(2);
    expect([result.current.has(3), result.current.has(5)]).toEqual([true, false]);
    expect(result.current.body).toEqual({ ids: [3, 8], without: [] });
  });

  it("sends the filter and the exceptions where everything was chosen", () => {
    const { result } = start();
    act(() => result.current.everything());
    act(() => result.current.toggle([3], false));
    expect(result.current.count).toBe(99);
    expect(result.current.body).toMatchObject({ ids: [], without: [3], filter: { show: "all" } });
    act(() => result.current.toggle([3], true));
    expect(result.current.count).toBe(100);
  });

  it("gives up everything with another filter, but keeps single images", () => {
    const { result, rerender } = start();
    act(() => result.current.everything());
    rerender({ filter: withDefaults({ role: ["hero"] }) });
    expect(result.current.count).toBe(0);
    act(() => result.current.toggle([7], true));
    rerender({ filter: withDefaults({ role: ["icon"] }) });
    expect(result.current.has(7)).toBe(true);
    act(() => result.current.nothing());
    expect(result.current.count).toBe(0);
  });

  it("stays in place where only the order changes", () => {
    const { result, rerender } = start();
    act(() => result.current.everything());
    rerender({ filter: withDefaults({ sort: "path", up: true }) });
    expect(result.current.count).toBe(100);
  });
});

describe("what an address says of a screen", () => {
  it("is read where it is known, and left out where it is odd", () => {
    expect(
      readFilter({ sort: "pixels", up: true, show: "unused", view: "sheet", role: ["hero"], page: 4 }),
    ).toEqual({
      sort: "pixels",
      up: true,
      show: "unused",
      view: "sheet",
      role: ["hero"],
      page: 4,
    });
    expect(readFilter({ sort: "colour", up: "yes", show: "all", view: 3, role: "hero", page: "4" })).toEqual(
      {},
    );
    expect(readProofView({ show: "asking", image: 7, pairs: true })).toEqual({
      show: "asking",
      image: 7,
      pairs: true,
    });
    expect(readProofView({ show: "none", image: "7", pairs: 1 })).toEqual({});
    expect(
      readSavingsView({ order: "saved", only: "over", tab: "images", find: "news", part: "scrolled" }),
    ).toEqual({
      order: "saved",
      only: "over",
      tab: "images",
      find: "news",
      part: "scrolled",
    });
    expect(readView({ screen: 3, tier: "", line: null, part: "opening" })).toEqual({});
  });

  it("narrows only where it leaves something out", () => {
    expect(narrows(ALL_IMAGES)).toBe(false);
    expect(narrows({ ...ALL_IMAGES, ...readNarrowing({ kind: ["animation"] }) })).toBe(true);
    expect(narrows({ ...ALL_IMAGES, page: 0 })).toBe(true);
    expect(asked({ ...ALL_IMAGES, find: "sky" })).toMatchObject({ search: "sky", page_id: null });
  });

  it("takes the connection in the middle where none is chosen", () => {
    const lines = ["slow", "usual", "fast"].map((name) => ({ name, bits: 1_000_000, wait_ms: 100 }));
    expect([lineIndex(lines, "fast"), lineIndex(lines, ""), lineIndex(lines, "gone")]).toEqual([2, 1, 1]);
  });
});
