import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, render, renderHook, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactNode } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { useProgress } from "@/shared/api/progress";
import { Notices, useNotice } from "@/shared/ui/notices";

/** Stands in for the browser's own, which happy-dom lacks: a test sends what a server would. */
class Events extends EventTarget {
  static opened: Events[] = [];
  closed = false;
  constructor(readonly address: string) {
    super();
    Events.opened.push(this);
  }
  send(now: object) {
    this.dispatchEvent(new MessageEvent("progress", { data: JSON.stringify(now) }));
  }
  close() {
    this.closed = true;
  }
}

describe("the progress of a job", () => {
  let queries: QueryClient;
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={queries}>{children}</QueryClientProvider>
  );
  beforeEach(() => {
    queries = new QueryClient();
    Events.opened = [];
    vi.stubGlobal("EventSource", Events);
  });
  afterEach(() => vi.unstubAllGlobals());

  it("is watched while it goes, and everything is asked anew at its end", () => {
    const seen = vi.fn();
    const anew = vi.spyOn(queries, "invalidateQueries");
    renderHook(() => useProgress("runs", 7, true, seen), { wrapper });
    const [events] = Events.opened;
    expect(events?.address).toBe("/api/v1/runs/7/events");
    act(() => events?.send({ going: true, done: 3 }));
    expect(seen).toHaveBeenLastCalledWith({ going: true, done: 3 });
    expect([events?.closed, anew.mock.calls.length]).toEqual([false, 0]);
    act(() => events?.send({ going: false, done: 9 }));
    expect([events?.closed, anew.mock.calls.length]).toEqual([true, 1]);
  });

  it("is not watched where nothing goes, and no longer when the screen is left", () => {
    const { rerender, unmount } = renderHook(({ going }) => useProgress("runs", 7, going, () => {}), {
      wrapper,
      initialProps: { going: false },
    });
    expect(Events.opened).toHaveLength(0);
    rerender({ going: true });
    unmount();
    expect(Events.opened.map((e) => e.closed)).toEqual([true]);
  });
});

function Said({ undo }: { undo: () => void }) {
  const say = useNotice();
  return (
    <button type="button" onClick={() => say("The budget was changed.", undo)}>
      change
    </button>
  );
}

describe("notices", () => {
  it("say what happened, and take it back", async () => {
    const undo = vi.fn();
    render(
      <Notices>
        <Said undo={undo} />
      </Notices>,
    );
    await userEvent.click(screen.getByRole("button", { name: "change" }));
    expect(screen.getByText("The budget was changed.")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    expect(undo).toHaveBeenCalledOnce();
  });
});
