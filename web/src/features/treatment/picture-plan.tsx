import { useState } from "react";
import type { Schemas } from "@/shared/api/client";
import { useHoldTo, useTables } from "@/shared/rules/rules-data";
import type { Entries, Tables } from "@/shared/rules/settings";
import { Choice } from "@/shared/ui/choice";
import { useVocabulary } from "@/shared/ui/vocabulary";

const WIDEST = ["960", "1200", "1920", "2560", "4000"] as const;
const METADATA = [
  ["none", "nothing"],
  ["copyright", "copyright and artist"],
  ["keep", "all but orientation and preview"],
] as const;
const NAMES = [
  ["{name}-{width}.{ext}", "name-1920.avif"],
  ["{name}.{ext}", "name.avif"],
  ["{name}.{hash}.{ext}", "name.1f2e3d4c.avif"],
] as const;
const FALLBACK = "fallback";

/** The few decisions that pictures without pages ask for, each taken at once; the forecast above follows. */
export function PicturePlan({ forecast: f }: { forecast: Schemas["Forecast"] }) {
  const tables = useTables();
  return (
    <section aria-labelledby="plan" className="mb-8 max-w-[1028px]">
      <h2 id="plan" className="mb-3">
        What becomes of each picture
      </h2>
      {tables.data && <Decisions tables={tables.data} rules={f.rules} />}
    </section>
  );
}

function Decisions({ tables, rules }: { tables: Tables; rules: Schemas["RulesOut"] }) {
  const { tiers, fidelities } = useVocabulary();
  const hold = useHoldTo();
  const all: Entries = tables.all ?? {};
  const decide = (words: string, change: Entries) => {
    const said = Object.fromEntries(Object.entries({ ...all, ...change }).filter(([, v]) => v !== undefined));
    hold.take({ ...tables, all: said }, words);
  };
  const modern = tiers.filter((t) => t.modern);
  const formats = (all.formats as string[] | undefined) ?? modern.map((t) => t.name);
  const fallback = all.fallback !== false;
  function toggle(name: string, on: boolean) {
    if (name === FALLBACK) return decide("The formats were changed.", { fallback: on ? undefined : false });
    const next = modern.map((t) => t.name).filter((n) => (n === name ? on : formats.includes(n)));
    decide("The formats were changed.", { formats: next.length === modern.length ? undefined : next });
  }
  const looks = [
    ["roles", "by role"] as const,
    ...fidelities.map((x) => [x.name, x.name] as const),
    ["quality", "fixed qualities"] as const,
  ];
  const look =
    all.quality !== undefined
      ? "quality"
      : typeof all.fidelity === "string"
        ? all.fidelity
        : all.cap
          ? "cap"
          : "roles";
  const names = String(tables.site?.names ?? NAMES[0][0]);
  return (
    <div className="divide-y divide-rule border-y border-rule">
      <Row words="Formats">
        <span className="flex flex-wrap gap-x-5 gap-y-1">
          {modern.map((t) => (
            <Tick
              key={t.name}
              words={t.format}
              on={formats.includes(t.name)}
              set={(on) => toggle(t.name, on)}
            />
          ))}
          <Tick words="a fallback of the old kind" on={fallback} set={(on) => toggle(FALLBACK, on)} />
        </span>
      </Row>
      <Row words="No wider than">
        <Widest
          value={rules.max_width}
          take={(width) => decide("The width was changed.", { max_width: width, size: undefined })}
        />
      </Row>
      <Row words="Look">
        <Choice
          label="Look"
          value={look}
          choices={look === "cap" ? [...looks, ["cap", "within a size"] as const] : looks}
          onChange={(next) =>
            decide("The look was changed.", {
              fidelity: next === "roles" || next === "quality" ? undefined : next,
              cap: undefined,
              quality:
                next === "quality" ? Object.fromEntries(tiers.map((t) => [t.name, t.fixed])) : undefined,
            })
          }
        />
      </Row>
      <Row words="Metadata kept">
        <Choice
          label="Metadata kept"
          value={rules.metadata}
          choices={METADATA}
          onChange={(next) =>
            decide("What is kept was changed.", { metadata: next === "none" ? undefined : next })
          }
        />
      </Row>
      <Row words="Names">
        <Choice
          label="Names"
          value={names}
          choices={NAMES.some(([key]) => key === names) ? NAMES : [...NAMES, [names, names] as const]}
          onChange={(next) =>
            hold.take({ ...tables, site: { ...tables.site, names: next } }, "The names were changed.")
          }
        />
      </Row>
      {hold.error && (
        <p role="alert" className="py-2 text-madder">
          {hold.error.message}
        </p>
      )}
    </div>
  );
}

function Row({ words, children }: { words: string; children: React.ReactNode }) {
  return (
    <div className="grid grid-cols-1 items-baseline gap-x-6 gap-y-1 py-2.5 sm:grid-cols-[150px_minmax(0,1fr)]">
      <span className="text-ink-soft">{words}</span>
      <span>{children}</span>
    </div>
  );
}

function Tick({ words, on, set }: { words: string; on: boolean; set: (on: boolean) => void }) {
  return (
    <label className="flex items-center gap-2">
      <input type="checkbox" checked={on} onChange={(e) => set(e.target.checked)} />
      {words}
    </label>
  );
}

function Widest({ value, take }: { value: number; take: (width: number) => void }) {
  const [text, setText] = useState(String(value));
  const width = Number(text);
  const fits = Number.isInteger(width) && width >= 1 && width <= 20_000;
  const done = () => {
    if (fits && width !== value) take(width);
  };
  return (
    <label className="flex flex-wrap items-center gap-2">
      <input
        aria-label="Pixels wide at most"
        aria-invalid={!fits}
        list="usual-widths"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => e.key === "Enter" && done()}
        className="field w-28 aria-invalid:border-madder"
      />
      pixels; height follows, and nothing is enlarged
      <datalist id="usual-widths">
        {WIDEST.map((w) => (
          <option key={w} value={w} />
        ))}
      </datalist>
    </label>
  );
}
