import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { bytes, parseBytes } from "@/shared/format/figures";
import { Button, Failed, Loading } from "@/shared/ui/basics";
import { FormEnd } from "@/shared/ui/dialog";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { type Role, useVocabulary } from "@/shared/ui/vocabulary";

/** Asked once each time the dialog opens: an answer in the middle of typing would take the draft away. */
const ONCE = {
  staleTime: Number.POSITIVE_INFINITY,
  gcTime: 0,
  refetchOnWindowFocus: false,
  refetchOnReconnect: false,
} as const;
const FIELD = "figure w-full rounded border border-rule bg-paper px-2 py-1 aria-invalid:border-madder";

type PageRow = { key: number; pattern: string; screen: string; bytes: string; requests: string };
type Draft = { requests: string; pages: PageRow[]; caps: Record<string, { bytes: string; width: string }> };

/** Budgets for some pages or screens, caps of images by role; the same as TOML, out and in. */
export function Budgets({ close }: { close: () => void }) {
  const site = useSite();
  const params = { params: { path: { site_id: site.id } } };
  const budgets = useQuery({
    queryKey: ["site", site.id, "budgets"],
    queryFn: () => told(api.GET("/api/v1/sites/{site_id}/budgets", params)),
    ...ONCE,
  });
  if (budgets.isPending) return <Loading what="the budgets" />;
  if (budgets.isError) return <Failed error={budgets.error} again={() => budgets.refetch()} />;
  return <Editor budgets={budgets.data} close={close} />;
}

function draftOf(b: Schemas["Budgets"], roles: readonly Role[]): Draft {
  return {
    requests: String(b.page.requests ?? ""),
    pages: b.pages.map((p, key) => ({
      key,
      pattern: p.pattern,
      screen: p.screen ?? "",
      bytes: p.bytes ? bytes(p.bytes) : "",
      requests: p.requests ? String(p.requests) : "",
    })),
    caps: Object.fromEntries(
      roles.map((role) => {
        const cap = b.caps[role];
        return [role, { bytes: cap ? bytes(cap.bytes) : "", width: String(cap?.width ?? "") }];
      }),
    ),
  };
}

function Editor({ budgets, close }: { budgets: Schemas["Budgets"]; close: () => void }) {
  const site = useSite();
  const queries = useQueryClient();
  const say = useNotice();
  const { roles } = useVocabulary();
  const [draft, setDraft] = useState(() => draftOf(budgets, roles));
  const params = { params: { path: { site_id: site.id } } };
  const done = {
    onSuccess: () => {
      void queries.invalidateQueries();
      close();
      say("The budgets were changed; the audit is done again.", () => restore.mutate(budgets));
    },
  };
  const restore = useMutation({
    mutationFn: (body: Schemas["Budgets"]) =>
      told(api.PUT("/api/v1/sites/{site_id}/budgets", { ...params, body })),
    onSuccess: () => queries.invalidateQueries(),
  });
  const save = useMutation({
    mutationFn: (body: Schemas["Budgets"]) =>
      told(api.PUT("/api/v1/sites/{site_id}/budgets", { ...params, body })),
    ...done,
  });
  const wanted = readDraft(draft, site.page_budget, roles);
  const page = (at: number, part: Partial<PageRow>) =>
    setDraft({ ...draft, pages: draft.pages.map((p, n) => (n === at ? { ...p, ...part } : p)) });
  function submit(event: FormEvent) {
    event.preventDefault();
    if (wanted) save.mutate(wanted);
  }
  return (
    <form onSubmit={submit} className="space-y-6">
      <label className="block max-w-[260px]">
        <span className="mb-1 block font-semibold">Image requests of every page</span>
        <input
          value={draft.requests}
          onChange={(e) => setDraft({ ...draft, requests: e.target.value })}
          className={FIELD}
        />
      </label>
      <fieldset>
        <legend className="mb-1 font-semibold">Some pages, or one screen only</legend>
        <p className="mb-2 text-ink-soft">
          The most specific budget holds: one page before a pattern, a longer pattern before a shorter. *
          stands for anything.
        </p>
        {draft.pages.map((p, at) => (
          <div key={p.key} className="mb-1 grid grid-cols-[minmax(0,1fr)_120px_110px_90px_70px] gap-2">
            <input
              aria-label={`Pages of budget ${at + 1}`}
              value={p.pattern}
              placeholder="news/*"
              required
              onChange={(e) => page(at, { pattern: e.target.value })}
              className={FIELD}
            />
            <select
              aria-label={`Screen of budget ${at + 1}`}
              value={p.screen}
              onChange={(e) => page(at, { screen: e.target.value })}
              className={FIELD}
            >
              <option value="">all screens</option>
              {site.screens.map((s) => (
                <option key={s.name}>{s.name}</option>
              ))}
            </select>
            <input
              aria-label={`Bytes of budget ${at + 1}`}
              value={p.bytes}
              placeholder="1.5 MB"
              onChange={(e) => page(at, { bytes: e.target.value })}
              className={FIELD}
            />
            <input
              aria-label={`Requests of budget ${at + 1}`}
              value={p.requests}
              placeholder="requests"
              onChange={(e) => page(at, { requests: e.target.value })}
              className={FIELD}
            />
            <Button onClick={() => setDraft({ ...draft, pages: draft.pages.filter((_, n) => n !== at) })}>
              Drop
            </Button>
          </div>
        ))}
        <Button
          onClick={() =>
            setDraft({
              ...draft,
              pages: [
                ...draft.pages,
                {
                  key: Math.max(-1, ...draft.pages.map((p) => p.key)) + 1,
                  pattern: "",
                  screen: "",
                  bytes: "",
                  requests: "",
                },
              ],
            })
          }
        >
          Add a budget
        </Button>
      </fieldset>
      <fieldset>
        <legend className="mb-2 font-semibold">Caps of one image, by role</legend>
        <div className="grid grid-cols-2 gap-x-8 gap-y-1">
          {roles.map((role) => (
            <div key={role} className="grid grid-cols-[90px_minmax(0,1fr)_minmax(0,1fr)] items-center gap-2">
              <span>{role}</span>
              {(["bytes", "width"] as const).map((side) => (
                <input
                  key={side}
                  aria-label={`${side === "bytes" ? "Bytes" : "Pixels across"} of ${role}`}
                  value={draft.caps[role]?.[side] ?? ""}
                  onChange={(e) =>
                    setDraft({
                      ...draft,
                      caps: {
                        ...draft.caps,
                        [role]: { bytes: "", width: "", ...draft.caps[role], [side]: e.target.value },
                      },
                    })
                  }
                  className={`${FIELD} text-right`}
                />
              ))}
            </div>
          ))}
        </div>
        <p className="mt-1 text-ink-soft">Bytes, then pixels across.</p>
      </fieldset>
      <Toml done={done} />
      {!wanted && (
        <p className="text-madder">
          Write sizes like 5 MB or 300 kB, and whole numbers; a budget needs one of both.
        </p>
      )}
      <FormEnd
        error={save.error}
        submit="Hold the site to these"
        disabled={!wanted || save.isPending}
        close={close}
      />
    </form>
  );
}

/** The draft as the server takes it; null where a figure can't be understood. */
function readDraft(draft: Draft, pageBytes: number, roles: readonly Role[]): Schemas["Budgets"] | null {
  const whole = (text: string) => (/^\d+$/.test(text.trim()) ? Number(text) : null);
  const requests = whole(draft.requests);
  const pages = draft.pages.map((p) => ({
    pattern: p.pattern.trim(),
    screen: p.screen,
    bytes: p.bytes.trim() ? parseBytes(p.bytes) : null,
    requests: p.requests.trim() ? whole(p.requests) : null,
    broken:
      (p.bytes.trim() !== "" && parseBytes(p.bytes) === null) ||
      (p.requests.trim() !== "" && whole(p.requests) === null) ||
      (!p.bytes.trim() && !p.requests.trim()),
  }));
  const caps = roles.map((role) => {
    const cap = draft.caps[role];
    return [role, { bytes: parseBytes(cap?.bytes ?? ""), width: whole(cap?.width ?? "") }] as const;
  });
  if (!requests || pages.some((p) => p.broken || !p.pattern) || caps.some(([, c]) => !c.bytes || !c.width)) {
    return null;
  }
  return {
    page: { bytes: pageBytes, requests },
    pages: pages.map(({ broken, ...p }) => p),
    caps: Object.fromEntries(caps) as Schemas["Budgets"]["caps"],
  };
}

function Toml({ done }: { done: { onSuccess: () => void } }) {
  const site = useSite();
  const params = { params: { path: { site_id: site.id } } };
  const [draft, setDraft] = useState<string | null>(null);
  const known = useQuery({
    queryKey: ["site", site.id, "budgets", "toml"],
    queryFn: () => told(api.GET("/api/v1/sites/{site_id}/budgets.toml", params)),
    ...ONCE,
  });
  const text = draft ?? known.data?.toml ?? "";
  const take = useMutation({
    mutationFn: () =>
      told(api.PUT("/api/v1/sites/{site_id}/budgets.toml", { ...params, body: { toml: text } })),
    ...done,
  });
  return (
    <details>
      <summary className="cursor-pointer">The same as TOML, to copy or to paste</summary>
      <textarea
        aria-label="Budgets as TOML"
        value={text}
        onChange={(e) => setDraft(e.target.value)}
        rows={10}
        spellCheck={false}
        className="figure mt-2 w-full rounded border border-rule bg-paper px-2 py-1.5 text-[12.5px]"
      />
      {take.isError && (
        <p role="alert" className="text-madder">
          {take.error.message}
        </p>
      )}
      <Button onClick={() => take.mutate()} disabled={text === known.data?.toml || take.isPending}>
        Take the budgets from this text
      </Button>
    </details>
  );
}
