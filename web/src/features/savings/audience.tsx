import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useRef, useState } from "react";
import { api, Problem, type Schemas, told } from "@/shared/api/client";
import { behindDoor } from "@/shared/api/door";
import { bytes, count, counted, less } from "@/shared/format/figures";
import { Button } from "@/shared/ui/basics";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { useVocabulary } from "@/shared/ui/vocabulary";

type Change = Schemas["AudienceChange"];

/** What a page view takes in the mean of all visitors; who they are is changed in place. */
export function Audience({ savings: s }: { savings: Schemas["SavingsOut"] }) {
  const site = useSite();
  const queries = useQueryClient();
  const { tiers } = useVocabulary();
  const a = s.audience;
  const again = () => queries.invalidateQueries({ queryKey: ["run", site.run_id, "savings"] });
  const say = useNotice();
  const change = useMutation({
    mutationFn: (body: Change) =>
      told(api.PUT("/api/v1/sites/{site_id}/audience", { params: { path: { site_id: site.id } }, body })),
    onSuccess: again,
  });
  const before: Change = { tiers: a.own_tiers ? a.tiers : null, screens: a.own_screens ? a.screens : null };
  const keep = (part: Change) =>
    change.mutate(
      { ...before, ...part },
      { onSuccess: () => say("The shares of visitors were changed.", () => change.mutate(before)) },
    );
  return (
    <>
      {s.expected && <Mean expected={s.expected} views={a.views} />}
      <div className="mt-8 grid gap-10 border-t border-rule pt-5 lg:grid-cols-2">
        <Shares
          key={`tiers ${JSON.stringify(a.tiers)}`}
          title="Browsers"
          names={tiers.map((t) => [t.name, t.words] as const)}
          now={a.tiers}
          own={a.own_tiers}
          usual={`Usual shares: ${a.source}, of ${a.date}.`}
          error={change.error}
          keep={(shares) => keep({ tiers: shares })}
        />
        <Shares
          key={`screens ${JSON.stringify(a.screens)}`}
          title="Screens"
          names={Object.keys(a.screens).map((name) => [name, `a ${name}`] as const)}
          now={a.screens}
          own={a.own_screens}
          usual="Usual shares: our own assumption, six of ten visits on a phone. Put in what your statistics say."
          error={null}
          keep={(shares) => keep({ screens: shares })}
        />
      </div>
      <Views audience={a} again={again} />
    </>
  );
}

function Mean({ expected: e, views }: { expected: Schemas["ExpectedOut"]; views: number }) {
  const share = (n: number) => `${Number((n * 100).toPrecision(2))} %`;
  const plan = e.after > 0 ? e.plan_share / e.after : 0;
  return (
    <p className="max-w-[80ch] text-[16px] leading-relaxed">
      In the mean of all visitors, a page view takes{" "}
      <strong className="text-thistle">{bytes(Math.round(e.after_opening))}</strong> of images at opening
      instead of {bytes(Math.round(e.before_opening))} ({less(e.before_opening, e.after_opening)}), and{" "}
      {bytes(Math.round(e.after))} instead of {bytes(Math.round(e.before))} scrolled to its end:{" "}
      {share(e.plan_share)} of a data plan of 10 GB instead of {share(e.before * plan)}. A thousand page views
      take {bytes(Math.round(e.after * 1000))} instead of {bytes(Math.round(e.before * 1000))}.
      {views > 0 && (
        <>
          {" "}
          At {count(views)} page views a month, that is {bytes(Math.round(e.after * views))} instead of{" "}
          {bytes(Math.round(e.before * views))} a month.
        </>
      )}
    </p>
  );
}

type SharesProps = {
  title: string;
  names: readonly (readonly [string, string])[];
  now: Record<string, number>;
  own: boolean;
  usual: string;
  error: Error | null;
  keep: (shares: Record<string, number> | null) => void;
};

function Shares({ title, names, now, own, usual, error, keep }: SharesProps) {
  const [drafts, setDrafts] = useState(() =>
    Object.fromEntries(names.map(([name]) => [name, String(Number(((now[name] ?? 0) * 100).toFixed(2)))])),
  );
  const numbers = Object.fromEntries(names.map(([name]) => [name, Number(drafts[name])]));
  const sum = Object.values(numbers).reduce((a, b) => a + b, 0);
  const usable = Object.values(numbers).every((n) => Number.isFinite(n) && n >= 0) && sum > 0;
  function save(event: FormEvent) {
    event.preventDefault();
    keep(numbers);
  }
  return (
    <form onSubmit={save}>
      <h2 className="mb-3">{title}</h2>
      <ul className="space-y-1.5">
        {names.map(([name, words]) => (
          <li key={name}>
            <label className="flex items-baseline justify-between gap-4">
              {words}
              <span>
                <input
                  inputMode="decimal"
                  value={drafts[name]}
                  onChange={(e) => setDrafts({ ...drafts, [name]: e.target.value })}
                  className="field figure w-24 text-right"
                />{" "}
                %
              </span>
            </label>
          </li>
        ))}
      </ul>
      <p className="mt-3 text-ink-soft">
        {usable
          ? `Together ${Number(sum.toFixed(2))} %; what counts is their proportion.`
          : "Shares are numbers from 0 up."}{" "}
        {own ? "These are your own." : usual}
      </p>
      {error && (
        <p role="alert" className="text-madder">
          {error.message}
        </p>
      )}
      <div className="mt-3 flex gap-3">
        <Button type="submit" disabled={!usable}>
          Keep these shares
        </Button>
        {own && <Button onClick={() => keep(null)}>Use the usual ones</Button>}
      </div>
    </form>
  );
}

/** Page views from a CSV: they weigh pages, and by device screens. */
function Views({ audience: a, again }: { audience: Schemas["AudienceOut"]; again: () => void }) {
  const site = useSite();
  const file = useRef<HTMLInputElement>(null);
  const params = { path: { site_id: site.id } };
  const read = useMutation({
    mutationFn: async (chosen: File) => {
      const answer = await fetch(behindDoor(`/api/v1/sites/${site.id}/views`), {
        method: "PUT",
        body: chosen,
      });
      const said = (await answer.json()) as Schemas["ViewsOut"] & Partial<Schemas["Problem"]>;
      if (!answer.ok) throw new Problem(said.detail ?? "The file was not taken.", "views", answer.status);
      return said;
    },
    onSuccess: again,
  });
  const forget = useMutation({
    mutationFn: () => told(api.DELETE("/api/v1/sites/{site_id}/views", { params })),
    onSuccess: () => {
      read.reset();
      again();
    },
  });
  const error = read.error ?? forget.error;
  return (
    <section aria-labelledby="views" className="mt-8 border-t border-rule pt-5">
      <h2 id="views" className="mb-2">
        Page views
      </h2>
      <p className="max-w-[80ch]">
        {a.views > 0
          ? `${count(a.views)} page views a month, of ${counted(a.views_pages, "page")}, weigh the pages.`
          : "Without page views, all pages count alike."}{" "}
        <span className="text-ink-soft">
          A CSV with the columns <code>page</code> (a path or an address) and <code>views</code>, and perhaps{" "}
          <code>device</code> (phone, tablet, desktop or the name of a screen).
        </span>
      </p>
      {read.data && read.data.problems.length > 0 && (
        <ul className="mt-2 text-ochre">
          {read.data.problems.map((problem) => (
            <li key={problem}>{problem}</li>
          ))}
        </ul>
      )}
      {error && (
        <p role="alert" className="mt-2 text-madder">
          {error.message}
        </p>
      )}
      <input
        ref={file}
        type="file"
        accept=".csv,text/csv"
        aria-label="CSV of page views"
        className="sr-only"
        tabIndex={-1}
        onChange={(e) => {
          const chosen = e.target.files?.[0];
          if (chosen) read.mutate(chosen);
          e.target.value = "";
        }}
      />
      <div className="mt-3 flex gap-3">
        <Button onClick={() => file.current?.click()} disabled={read.isPending}>
          {read.isPending ? "Reading page views …" : "Read page views from a CSV"}
        </Button>
        {a.views > 0 && <Button onClick={() => forget.mutate()}>Forget page views</Button>}
      </div>
    </section>
  );
}
