import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "@/shared/api/client";
import { decisionsQuery, forecastQuery } from "@/shared/api/queries";
import { fileName } from "@/shared/format/figures";
import { RuleForm } from "@/shared/rules/rule-form";
import { useTables } from "@/shared/rules/rules-data";
import type { Entries, Tables } from "@/shared/rules/settings";
import { Failed, Loading } from "@/shared/ui/basics";
import { DialogButton } from "@/shared/ui/dialog";
import { useSite } from "@/shared/ui/site-context";
import { useVocabulary } from "@/shared/ui/vocabulary";
import { decisionWords } from "./decision";
import { FocalPoint } from "./focal-point";
import { useOverrule } from "./use-overrule";

const LEAVE = "leave";
const AS_RULES = "rules";

/** The same with everything that a rule can ask for, for all images of a selection. */
export function OverruleAnyPart({ selection }: { selection: Schemas["Selection"] }) {
  const tables = useTables();
  const decide = useOverrule(selection);
  if (!tables.data) return null;
  const now = tables.data;
  return (
    <DialogButton trigger="Overrule any part" title="What these images get" wide>
      {(close) => (
        <RuleForm
          tables={now}
          part="one"
          number={(now.rule ?? []).length}
          entries={{ path: "these" }}
          alone={false}
          close={close}
          take={({ path, ...entries }) => decide({ entries })}
        />
      )}
    </DialogButton>
  );
}

/** Decides for images against the rules: left alone, or at another look; taken back at once or later. */
export function Overrule({ selection }: { selection: Schemas["Selection"] }) {
  const { fidelities } = useVocabulary();
  const decide = useOverrule(selection);
  const take = (value: string) => {
    const fidelity = fidelities.find((f) => f.name === value)?.name;
    if (value === AS_RULES) decide({ settings: null });
    else if (value === LEAVE) decide({ settings: { leave: true } });
    else if (fidelity) decide({ settings: { leave: false, fidelity } });
  };
  return (
    <label className="flex items-center gap-2 text-ink-soft">
      Overrule
      <select value="" onChange={(e) => take(e.target.value)} className="field">
        <option value="" disabled>
          choose …
        </option>
        <option value={LEAVE}>leave as it is</option>
        {fidelities.map((f) => (
          <option key={f.name} value={f.name}>
            keep it {f.name}
          </option>
        ))}
        <option value={AS_RULES}>as the rules say</option>
      </select>
    </label>
  );
}

function Decided({ imageId }: { imageId: number }) {
  const site = useSite();
  const decisions = useQuery(decisionsQuery(site.capture.id, [imageId]));
  if (decisions.isPending) return <Loading what="the decision" />;
  if (decisions.isError) return <Failed error={decisions.error} again={() => decisions.refetch()} />;
  return decisions.data.map((d) => <p key={d.image_id}>{decisionWords(d)}</p>);
}

/** Which rules decide what of one image, and the decision against them. */
export function WhatItGets({ image: i }: { image: Schemas["ImageDetail"] }) {
  const site = useSite();
  const alone = useQuery(forecastQuery(site.capture.id)).data?.pictures_alone;
  const tables = useTables();
  return (
    <section className="mt-8">
      <h2 className="mb-2">What the next run makes of it</h2>
      <Decided imageId={i.id} />
      <div className="mt-2 flex flex-wrap items-center gap-3">
        <Overrule selection={{ ids: [i.id], without: [] }} />
        {tables.data && (
          <DialogButton trigger="Overrule any part" title={`What ${fileName(i.path)} gets`} wide>
            {(close) => <AnyPart image={i} tables={tables.data} alone={alone ?? false} close={close} />}
          </DialogButton>
        )}
      </div>
      {alone && i.has_thumbnail && <FocalPoint image={i} />}
    </section>
  );
}

type AnyPartProps = { image: Schemas["ImageDetail"]; tables: Tables; alone: boolean; close: () => void };

/** Everything that a rule can ask for, for this image alone: known by its path, and by its content where it moves. */
function AnyPart({ image: i, tables, alone, close }: AnyPartProps) {
  const rules = tables.rule ?? [];
  const found = rules.findIndex(
    (rule) => rule.content === i.sha256 || (rule.path === i.path && isOverride(rule)),
  );
  const number = found >= 0 ? found : rules.length;
  const entries = { ...rules[number], path: i.path, content: i.sha256 };
  return (
    <RuleForm tables={tables} part="one" number={number} entries={entries} alone={alone} close={close} />
  );
}

const isOverride = (rule: Entries) =>
  ["role", "kind", "format", "page"].every((name) => rule[name] === undefined);
