import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { sitesQuery } from "@/shared/api/queries";
import { Kept } from "@/shared/rules/rule-form";
import type { Tables } from "@/shared/rules/settings";
import { Button, Failed, Loading } from "@/shared/ui/basics";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";

type Source = { words: string; tables: Tables };

/** Rules that were given a name, and those of other sites, to hold this site to; and a name for this site's own. */
export function RulesElsewhere({ tables, close }: { tables: Tables; close: () => void }) {
  const [source, setSource] = useState<Source>();
  if (source) {
    // Single images are named by their paths on the site that they are of.
    const own = (tables.rule ?? []).filter((rule) => rule.content);
    const rule = [...(source.tables.rule ?? []).filter((r) => !r.content), ...own];
    return (
      <Kept
        tables={{ ...source.tables, rule }}
        close={close}
        words={`The site follows the rules of ${source.words}.`}
      >
        <p>
          This site is held to the rules of <strong>{source.words}</strong> in place of its own. Its single
          images stay overruled.
        </p>
      </Kept>
    );
  }
  return (
    <div className="space-y-6">
      <Named take={setSource} />
      <OtherSites take={setSource} />
      <div className="flex justify-end">
        <Button onClick={close}>Close</Button>
      </div>
    </div>
  );
}

const NAMED = { queryKey: ["named rules"] };
type Done = { words: string; undo?: () => void };

function Named({ take }: { take: (source: Source) => void }) {
  const site = useSite();
  const queries = useQueryClient();
  const [name, setName] = useState("");
  // A notice would stand behind the dialog.
  const [done, setDone] = useState<Done | null>(null);
  const named = useQuery({ ...NAMED, queryFn: () => told(api.GET("/api/v1/named-rules")) });
  const refresh = () => queries.invalidateQueries(NAMED);
  const onError = (error: Error) => setDone({ words: error.message });
  const putBack = useMutation({
    mutationFn: ({ name, tables }: Schemas["NamedRulesOut"]) =>
      told(api.PUT("/api/v1/named-rules", { body: { name, tables } })),
    onSuccess: () => {
      setDone(null);
      void refresh();
    },
    onError,
  });
  const forget = useMutation({
    mutationFn: (one: Schemas["NamedRulesOut"]) =>
      told(api.DELETE("/api/v1/named-rules", { params: { query: { name: one.name } } })),
    onSuccess: (_, one) => {
      void refresh();
      setDone({ words: `${one.name} is forgotten.`, undo: () => putBack.mutate(one) });
    },
    onError,
  });
  const keep = useMutation({
    mutationFn: (as: string) =>
      told(api.PUT("/api/v1/named-rules", { body: { name: as, site_id: site.id } })),
    onSuccess: (kept) => {
      const before = named.data?.find((one) => one.name === kept.name);
      setName("");
      void refresh();
      setDone({
        words: `This site's rules are kept as ${kept.name}.`,
        undo: () => (before ? putBack.mutate(before) : forget.mutate(kept)),
      });
    },
    onError,
  });
  function submit(event: FormEvent) {
    event.preventDefault();
    keep.mutate(name.trim());
  }
  return (
    <section>
      <h3 className="mb-2 font-semibold">By name</h3>
      {named.isPending && <Loading what="the names" />}
      {named.isError && <Failed error={named.error} again={() => named.refetch()} />}
      {named.data?.length === 0 && <p className="text-ink-soft">No rules have a name yet.</p>}
      <ul className="divide-y divide-rule">
        {named.data?.map((one) => (
          <NamedRow
            key={one.name}
            one={one}
            take={() => take({ words: one.name, tables: one.tables })}
            forget={() => forget.mutate(one)}
          />
        ))}
      </ul>
      <p role="status" className="mt-2 flex gap-3">
        {done?.words}
        {done?.undo && (
          <button type="button" onClick={done.undo} className="font-semibold text-thistle underline">
            Undo
          </button>
        )}
      </p>
      <form onSubmit={submit} className="mt-3 flex flex-wrap items-end gap-3">
        <label>
          <span className="mb-1 block text-ink-soft">A name for this site's rules</span>
          <input
            value={name}
            maxLength={100}
            onChange={(e) => setName(e.target.value)}
            className="field w-64"
          />
        </label>
        <Button type="submit" disabled={!name.trim() || keep.isPending}>
          Keep them by this name
        </Button>
      </form>
    </section>
  );
}

type RowProps = { one: Schemas["NamedRulesOut"]; take: () => void; forget: () => void };

function NamedRow({ one, take, forget }: RowProps) {
  return (
    <li className="flex flex-wrap items-start justify-between gap-3 py-2">
      <div className="min-w-0 flex-1">
        <strong className="font-semibold">{one.name}</strong>
        {one.said.map((words) => (
          <p key={words} className="text-ink-soft">
            {words}.
          </p>
        ))}
      </div>
      <span className="flex gap-2">
        <Button onClick={take}>Follow {one.name}</Button>
        <Button onClick={forget} aria-label={`Forget ${one.name}`}>
          Forget
        </Button>
      </span>
    </li>
  );
}

function OtherSites({ take }: { take: (source: Source) => void }) {
  const site = useSite();
  const say = useNotice();
  const sites = useQuery(sitesQuery);
  const fetch = useMutation({
    mutationFn: (other: Schemas["Site"]) =>
      told(api.GET("/api/v1/sites/{site_id}/rules", { params: { path: { site_id: other.id } } })),
    onSuccess: (tables, other) => take({ words: other.name, tables }),
    onError: (error) => say(error.message),
  });
  const others = sites.data?.filter((other) => other.id !== site.id) ?? [];
  return (
    <section>
      <h3 className="mb-2 font-semibold">Of another site</h3>
      {others.length === 0 && <p className="text-ink-soft">There is no other site.</p>}
      <ul className="space-y-2">
        {others.map((other) => (
          <li key={other.id} className="flex flex-wrap items-center justify-between gap-3">
            {other.name}
            <Button onClick={() => fetch.mutate(other)}>Follow {other.name}</Button>
          </li>
        ))}
      </ul>
    </section>
  );
}
