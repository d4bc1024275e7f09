import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { runQuery, siteQuery } from "@/shared/api/queries";
import { count, counted } from "@/shared/format/figures";
import { Button } from "@/shared/ui/basics";
import { Choice } from "@/shared/ui/choice";
import { DialogButton, FormEnd } from "@/shared/ui/dialog";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { type Role, useVocabulary } from "@/shared/ui/vocabulary";
import { type Filter, VIEWS } from "./library-filter";
import { Overrule, OverruleAnyPart } from "./overrule";
import type { Selection } from "./selection";

type Props = {
  filter: Filter;
  change: (part: Partial<Filter>) => void;
  selection: Selection;
  /** How many the filter lets through; undefined while that is not known. */
  total: number | undefined;
};

/** How many are selected, and what can be done with them. */
export function BulkBar({ filter, change, selection, total }: Props) {
  const roles = useRoles(selection);
  const treat = useTreat(selection);
  const vocabulary = useVocabulary();
  return (
    <div className="mb-3 flex flex-wrap items-center gap-x-5 gap-y-2">
      <Choice label="View" value={filter.view} choices={VIEWS} onChange={(view) => change({ view })} />
      {selection.count === 0 ? (
        <Button onClick={selection.everything} disabled={!total}>
          {total ? `Select all ${count(total)}` : "Select all"}
        </Button>
      ) : (
        <>
          <span className="font-semibold">{count(selection.count)} selected</span>
          <Button onClick={selection.nothing}>Select none</Button>
          <label className="flex items-center gap-2 text-ink-soft">
            Give the role
            <select
              value=""
              onChange={(e) => roles.mutate((e.target.value || null) as Role | null)}
              className="rounded border border-rule bg-card px-2 py-1 text-ink"
            >
              <option value="" disabled>
                choose …
              </option>
              {vocabulary.roles.map((role) => (
                <option key={role} value={role}>
                  {role}
                </option>
              ))}
            </select>
          </label>
          <Overrule selection={selection.body} />
          <OverruleAnyPart selection={selection.body} />
          <Button tone="main" onClick={() => treat.mutate()} disabled={treat.isPending}>
            Treat {counted(selection.count, "image")}
          </Button>
        </>
      )}
      <DialogButton trigger="Roles by pattern" title="Roles by pattern">
        {(close) => <PatternRole close={close} />}
      </DialogButton>
    </div>
  );
}

/** Gives roles, and offers to take that back. */
function useRoles(selection: Selection) {
  const site = useSite();
  const captureId = site.capture.id;
  const queries = useQueryClient();
  const say = useNotice();
  const refresh = () => queries.invalidateQueries({ queryKey: ["capture", captureId] });
  const restore = useMutation({
    mutationFn: (before: Schemas["PastChoice"][]) =>
      told(
        api.PUT("/api/v1/captures/{capture_id}/roles", {
          params: { path: { capture_id: captureId } },
          body: before,
        }),
      ),
    onSuccess: refresh,
  });
  return useMutation({
    mutationFn: (role: Role | null) =>
      told(
        api.POST("/api/v1/captures/{capture_id}/roles", {
          params: { path: { capture_id: captureId } },
          body: { role, selection: selection.body },
        }),
      ),
    onSuccess: (done) => {
      void refresh();
      say(`${counted(done.changed, "image")} changed; the audit is done again.`, () =>
        restore.mutate(done.before),
      );
    },
    onError: (error) => say(error.message),
  });
}

function useTreat(selection: Selection) {
  const site = useSite();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const say = useNotice();
  return useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/v1/captures/{capture_id}/runs", {
          params: { path: { capture_id: site.capture.id } },
          body: selection.body,
        }),
      ),
    onSuccess: async (run) => {
      queries.setQueryData(runQuery(run.id).queryKey, run);
      await queries.invalidateQueries({ queryKey: siteQuery(site.id).queryKey });
      void navigate({ to: "/sites/$siteId/runs", params: { siteId: String(site.id) } });
    },
    onError: (error) => say(error.message),
  });
}

function PatternRole({ close }: { close: () => void }) {
  const site = useSite();
  const captureId = site.capture.id;
  const queries = useQueryClient();
  const say = useNotice();
  const [pattern, setPattern] = useState("");
  const [role, setRole] = useState<Role>("content");
  const give = useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/v1/captures/{capture_id}/roles", {
          params: { path: { capture_id: captureId } },
          body: { role, pattern: pattern.trim() },
        }),
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["capture", captureId] });
      close();
      say(`Images like ${pattern.trim()} are ${role} from now on; the audit is done again.`);
    },
  });
  return (
    <form
      className="space-y-4"
      onSubmit={(e) => {
        e.preventDefault();
        give.mutate();
      }}
    >
      <label className="block">
        <span className="mb-1 block">Paths like</span>
        <input
          value={pattern}
          onChange={(e) => setPattern(e.target.value)}
          required
          placeholder="img/gallery/*"
          spellCheck={false}
          className="figure w-full rounded border border-rule bg-paper px-2 py-1.5"
        />
        <span className="text-ink-soft">
          * stands for anything. A choice for one image counts more than a pattern, a longer pattern more than
          a shorter one.
        </span>
      </label>
      <label className="block">
        <span className="mb-1 block">are</span>
        <select
          value={role}
          onChange={(e) => setRole(e.target.value as Role)}
          className="rounded border border-rule bg-paper px-2 py-1.5"
        >
          {useVocabulary().roles.map((r) => (
            <option key={r}>{r}</option>
          ))}
        </select>
      </label>
      <FormEnd
        error={give.error}
        submit="Give this role"
        disabled={give.isPending || !pattern.trim()}
        close={close}
      />
    </form>
  );
}
