import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { BudgetWord } from "@/features/audit/budget-word";
import { LookFields } from "@/shared/rules/look-fields";
import type { Entries } from "@/shared/rules/settings";
import { Notices } from "@/shared/ui/notices";
import { type OpenSite, SiteProvider } from "@/shared/ui/site-context";
import { type Vocabulary, VocabularyProvider } from "@/shared/ui/vocabulary";

const VOCABULARY = {
  tiers: [
    {
      name: "avif",
      words: "browsers that show AVIF",
      format: "AVIF",
      measured: true,
      fixed: 50,
      modern: true,
    },
    { name: "baseline", words: "all others", format: "JPEG", measured: false, fixed: 75, modern: false },
  ],
  fidelities: [
    { name: "faithful", score: 75 },
    { name: "lean", score: 50 },
  ],
  roles: ["hero"],
  usual: { hero: 75 },
} as unknown as Vocabulary;
const SITE = { id: 7, page_budget: 5_000_000 } as OpenSite;
let queries: QueryClient;

beforeEach(() => {
  queries = new QueryClient();
});
afterEach(() => {
  document.body.replaceChildren();
  vi.unstubAllGlobals();
});

let draft: Entries = {};
const fails = vi.fn();

function Look({ begin }: { begin: Entries }) {
  const [now, set] = useState(begin);
  draft = now;
  return <LookFields draft={now} set={set} byRole={false} fails={fails} />;
}

function look(begin: Entries) {
  render(
    <VocabularyProvider value={VOCABULARY}>
      <Look begin={begin} />
    </VocabularyProvider>,
  );
}

describe("the look in a draft of rules", () => {
  it("is one of three: each takes the place of the others, and what else was said stays", async () => {
    look({ role: "hero", fidelity: "lean" });
    await userEvent.click(screen.getByRole("radio", { name: "fixed qualities" }));
    expect(draft).toEqual({ role: "hero", quality: { avif: 50, baseline: 75 } });
    await userEvent.click(screen.getByRole("radio", { name: "a fidelity" }));
    expect(draft).toEqual({ role: "hero", fidelity: "faithful" });
    await userEvent.click(screen.getByRole("radio", { name: "as for all images" }));
    expect(draft).toEqual({ role: "hero" });
  });

  it("takes a size as people type it, and says what is none", async () => {
    look({});
    await userEvent.click(screen.getByRole("radio", { name: "a size a file" }));
    const field = screen.getByRole("textbox", { name: "Bytes a file" });
    expect(fails).toHaveBeenLastCalledWith("cap", true);
    await userEvent.type(field, "150 kB");
    expect(draft).toEqual({ cap: 150_000 });
    expect(fails).toHaveBeenLastCalledWith("cap", false);
    await userEvent.clear(field);
    expect(draft).toEqual({});
    expect(field.getAttribute("aria-invalid")).toBe("true");
  });

  it("keeps a fidelity for each role as long as nothing replaces it", async () => {
    look({ fidelity: { hero: 80 } });
    await userEvent.click(screen.getByRole("radio", { name: "as for all images" }));
    expect(draft).toEqual({ fidelity: { hero: 80 } });
  });
});

describe("the budget as a word of a sentence", () => {
  const asked: unknown[] = [];

  function budget() {
    asked.length = 0;
    const fetch = async (request: Request) => {
      asked.push(await request.json());
      return new Response(JSON.stringify({ ...SITE, page_budget: 300_000 }), {
        headers: { "content-type": "application/json" },
      });
    };
    vi.stubGlobal("fetch", fetch);
    render(
      <QueryClientProvider client={queries}>
        <Notices>
          <SiteProvider value={SITE}>
            <BudgetWord />
          </SiteProvider>
        </Notices>
      </QueryClientProvider>,
    );
    return screen.getByRole("textbox", { name: "Budget of a page" }) as HTMLInputElement;
  }

  it("is put back with Escape, and refused in words where it is no size", async () => {
    const field = budget();
    await userEvent.clear(field);
    await userEvent.type(field, "many{Enter}");
    expect(screen.getByRole("alert").textContent).toBe("Write sizes like 5 MB or 300 kB.");
    await userEvent.type(field, "{Escape}");
    expect([field.value, asked]).toEqual(["5.0 MB", []]);
  });

  it("is not asked for where it is the same", async () => {
    const field = budget();
    await userEvent.clear(field);
    await userEvent.type(field, "5 MB{Enter}");
    expect([field.value, asked]).toEqual(["5.0 MB", []]);
  });
});
