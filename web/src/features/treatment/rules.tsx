import type { Schemas } from "@/shared/api/client";
import { counted } from "@/shared/format/figures";
import { RuleForm } from "@/shared/rules/rule-form";
import { useHoldTo, useTables } from "@/shared/rules/rules-data";
import type { Tables } from "@/shared/rules/settings";
import { Button, Failed, Loading } from "@/shared/ui/basics";
import { DialogButton } from "@/shared/ui/dialog";
import { RoleForm } from "./role-form";
import { RulesElsewhere } from "./rules-elsewhere";
import { RulesAsText } from "./rules-text";
import { SiteForm } from "./site-form";

const FEW = 6;
type Said = Schemas["RuleSaid"];

/** The site's rules as sentences, each changed where it stands; then the single images overruled. */
export function Rules({ forecast: f }: { forecast: Schemas["Forecast"] }) {
  const tables = useTables();
  const overrides = f.sentences.filter((s) => s.override);
  const alone = f.pictures_alone;
  return (
    <section aria-labelledby="rules" className="mb-8 max-w-[1028px]">
      <div className="mb-2 flex flex-wrap items-baseline justify-between gap-3">
        <h2 id="rules">Rules</h2>
        {tables.data && (
          <div className="flex flex-wrap gap-2">
            <DialogButton trigger="Add a rule" title="A rule for some images" wide>
              {(close) => (
                <RuleForm
                  tables={tables.data}
                  part="rule"
                  number={tables.data.rule?.length ?? 0}
                  entries={{}}
                  alone={alone}
                  close={close}
                />
              )}
            </DialogButton>
            <DialogButton trigger="From elsewhere" title="Rules by name, and of other sites" wide>
              {(close) => <RulesElsewhere tables={tables.data} close={close} />}
            </DialogButton>
            <DialogButton trigger="As text" title="Rules as TOML" wide>
              {(close) => <RulesAsText close={close} />}
            </DialogButton>
          </div>
        )}
      </div>
      {tables.isPending && <Loading what="the rules" />}
      {tables.isError && <Failed error={tables.error} again={() => tables.refetch()} />}
      {tables.data && (
        <>
          <Sentences said={f.sentences.filter((s) => !s.override)} tables={tables.data} alone={alone} />
          {overrides.length > 0 && (
            <details className="mt-3" open={overrides.length <= FEW}>
              <summary className="cursor-pointer">
                {counted(overrides.length, "single image")} overruled
              </summary>
              <Sentences said={overrides} tables={tables.data} alone={alone} />
            </details>
          )}
        </>
      )}
    </section>
  );
}

function Sentences({ said, tables, alone }: { said: Said[]; tables: Tables; alone: boolean }) {
  return (
    <ul className="divide-y divide-rule border-y border-rule">
      {said.map((s) => (
        <li
          key={`${s.part} ${s.number}`}
          className="flex flex-wrap items-center justify-between gap-x-6 gap-y-1 py-1.5"
        >
          <span className="min-w-0 flex-1 basis-[420px]">
            <strong className="font-semibold">{capital(s.said)}</strong>: {s.asks}.
          </span>
          {s.images !== null && (
            <span className="text-ink-soft">
              {s.images > 0 ? `decides of ${counted(s.images, "image")}` : "decides of no image"}
            </span>
          )}
          <span className="flex gap-2">
            <DialogButton trigger="Change" label={`Change ${s.said}`} title={capital(s.said)} wide>
              {(close) => <Form said={s} tables={tables} alone={alone} close={close} />}
            </DialogButton>
            {s.part === "rule" && <Drop said={s} tables={tables} />}
          </span>
        </li>
      ))}
    </ul>
  );
}

type FormProps = { said: Said; tables: Tables; alone: boolean; close: () => void };

function Form({ said, tables, alone, close }: FormProps) {
  if (said.part === "roles") return <RoleForm tables={tables} close={close} />;
  if (said.part === "site") return <SiteForm tables={tables} alone={alone} close={close} />;
  const entries = said.part === "all" ? tables.all : tables.rule?.[said.number];
  return (
    <RuleForm
      tables={tables}
      part={said.part}
      number={said.number}
      entries={entries ?? {}}
      alone={alone}
      close={close}
    />
  );
}

function Drop({ said, tables }: { said: Said; tables: Tables }) {
  const hold = useHoldTo();
  return (
    <Button
      aria-label={`Drop the rule for ${said.said}`}
      disabled={hold.pending}
      onClick={() =>
        hold.take(
          { ...tables, rule: (tables.rule ?? []).filter((_, n) => n !== said.number) },
          `The rule for ${said.said} was dropped.`,
        )
      }
    >
      Drop
    </Button>
  );
}

function capital(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1);
}
