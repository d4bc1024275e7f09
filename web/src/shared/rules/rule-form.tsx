import { type FormEvent, useId, useState } from "react";
import type { Schemas } from "@/shared/api/client";
import { bytes, count, counted, duration } from "@/shared/format/figures";
import { Button } from "@/shared/ui/basics";
import { FormEnd } from "@/shared/ui/dialog";
import { useVocabulary } from "@/shared/ui/vocabulary";
import { LookFields } from "./look-fields";
import { useHoldTo, usePreview } from "./rules-data";
import {
  chosen,
  type Entries,
  PICTURES_ALONE,
  SIZES,
  SWITCHES,
  type Tables,
  TYPED,
  unchosen,
  withPart,
} from "./settings";

export const FIELD = "field w-full aria-invalid:border-madder";
const KINDS = ["photograph", "graphic", "lettering", "line art", "animation", "vector"] as const;

type Props = {
  tables: Tables;
  /** "one": a rule for one image, whose place is known. */
  part: "all" | "rule" | "one";
  number: number;
  entries: Entries;
  alone: boolean;
  close: () => void;
  /** Takes what was chosen for many images, which are no rule of the tables yet. */
  take?: (entries: Entries) => void;
};

/** One sentence of the rules with all of its choices; what it would change is told before it is kept. */
export function RuleForm({ tables, part, number, entries, alone, close, take }: Props) {
  const [draft, setDraft] = useState<Entries>(entries);
  const [wrong, setWrong] = useState<ReadonlySet<string>>(new Set());
  const set = (name: string, value: unknown) => setDraft((old) => ({ ...old, [name]: value }));
  const fails = (name: string, does: boolean) =>
    setWrong((old) => {
      const now = new Set(old);
      if (does) now.add(name);
      else now.delete(name);
      return now;
    });
  const some = part !== "all";
  const leave = some && draft.leave === true;
  const said = withPart(tables, part, number, draft);
  return (
    <Kept
      tables={wrong.size > 0 ? null : said}
      close={close}
      words="The rules were changed."
      take={take && (() => take(draft))}
    >
      {part === "rule" && <Conditions draft={draft} set={set} />}
      {some && (
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={leave}
            onChange={(e) => set("leave", e.target.checked || undefined)}
          />
          {part === "one" ? "Leave it as it is" : "Leave these as they are"}
        </label>
      )}
      {!leave && (
        <>
          <Formats draft={draft} set={set} />
          <LookFields draft={draft} set={setDraft} byRole={part === "all"} fails={fails} />
          {alone && <Size draft={draft} set={set} fails={fails} />}
          <div className="grid gap-x-6 gap-y-3 sm:grid-cols-2">
            {[...(alone ? PICTURES_ALONE : []), ...TYPED].map((field) => (
              <Typed key={field.name} field={field} draft={draft} set={set} fails={fails} />
            ))}
            {SWITCHES.map((field) => (
              <label key={field.name} className="block">
                <span className="mb-1 block text-ink-soft">{field.words}</span>
                <select
                  value={chosen(draft[field.name])}
                  onChange={(e) => set(field.name, e.target.value ? unchosen(e.target.value) : undefined)}
                  className={FIELD}
                >
                  <option value="">
                    {part === "all"
                      ? `by default: ${field.choices.find(([value]) => value === field.usual)?.[1]}`
                      : "as for all images"}
                  </option>
                  {field.choices.map(([value, words]) => (
                    <option key={value} value={value}>
                      {words}
                    </option>
                  ))}
                </select>
              </label>
            ))}
          </div>
        </>
      )}
    </Kept>
  );
}

type KeptProps = {
  tables: Tables | null;
  close: () => void;
  words: string;
  take?: () => void;
  children: React.ReactNode;
};

/** A form over the rules: its fields, what they would change, and the way out. */
export function Kept({ tables, close, words, take, children }: KeptProps) {
  const preview = usePreview(take ? null : tables);
  const hold = useHoldTo();
  function submit(event: FormEvent) {
    event.preventDefault();
    if (!tables) return;
    if (take) {
      take();
      close();
    } else hold.take(tables, words, close);
  }
  return (
    <form onSubmit={submit} className="space-y-4">
      {children}
      <div className="sticky -bottom-6 -mx-6 -mb-6 space-y-3 border-t border-rule bg-card px-6 pt-3 pb-6">
        <p role="status" className="min-h-6">
          {tables === null && <span className="text-madder">Something above can't be read yet.</span>}
          {tables && preview.isError && <span className="text-madder">{preview.error.message}</span>}
          {tables && preview.data && !preview.isError && <Change preview={preview.data} />}
        </p>
        <FormEnd
          error={hold.error}
          submit="Hold the site to this"
          disabled={!tables || hold.pending || preview.isError}
          close={close}
        />
      </div>
    </form>
  );
}

function Change({ preview: p }: { preview: Schemas["RulesPreview"] }) {
  const { tiers } = useVocabulary();
  if (p.changed === 0) return <>This changes no image.</>;
  const tier = tiers.find((t) => t.measured)?.name;
  const of = (totals: Schemas["TotalForecast"][]) =>
    totals.find((t) => t.tier === tier && t.part === "scrolled");
  const [now, then] = [of(p.now), of(p.then)];
  return (
    <>
      Changes <strong>{counted(p.changed, "image")}</strong>
      {now && then && (
        <>
          : all pages {then.screen && `on a ${then.screen} `}about{" "}
          <strong className="text-thistle">{bytes(then.after.likely)}</strong> instead of{" "}
          {bytes(now.after.likely)}
        </>
      )}
      ; {count(p.files)} files, about {duration(p.seconds.likely)}.
    </>
  );
}

type SetProps = { draft: Entries; set: (name: string, value: unknown) => void };
type FailProps = { fails: (name: string, does: boolean) => void };

function Conditions({ draft, set }: SetProps) {
  const { roles } = useVocabulary();
  const lists = [
    ["role", "Role", roles],
    ["kind", "Kind", KINDS],
  ] as const;
  const texts = [
    ["path", "Path, or a pattern with *", "press/*"],
    ["page", "On pages", "news/*"],
    ["format", "Format of the original", "png"],
  ] as const;
  return (
    <fieldset className="grid gap-x-6 gap-y-3 sm:grid-cols-2">
      <legend className="mb-1 font-semibold">For which images</legend>
      {lists.map(([name, words, choices]) => (
        <label key={name} className="block">
          <span className="mb-1 block text-ink-soft">{words}</span>
          <select
            value={chosen(draft[name])}
            onChange={(e) => set(name, e.target.value || undefined)}
            className={FIELD}
          >
            <option value="">any</option>
            {choices.map((choice) => (
              <option key={choice}>{choice}</option>
            ))}
          </select>
        </label>
      ))}
      {texts.map(([name, words, hint]) => (
        <label key={name} className="block">
          <span className="mb-1 block text-ink-soft">{words}</span>
          <input
            value={chosen(draft[name])}
            placeholder={hint}
            onChange={(e) => set(name, e.target.value || undefined)}
            className={FIELD}
          />
        </label>
      ))}
    </fieldset>
  );
}

function Formats({ draft, set }: SetProps) {
  const { tiers } = useVocabulary();
  const modern = tiers.filter((t) => t.modern);
  const given = draft.formats as string[] | undefined;
  const has = (name: string) => given?.includes(name) ?? true;
  return (
    <fieldset className="flex flex-wrap items-center gap-x-6 gap-y-2">
      <legend className="mb-1 font-semibold">Formats</legend>
      {modern.map((t) => (
        <label key={t.name} className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={has(t.name)}
            onChange={(e) => {
              const names = modern.map((m) => m.name);
              set(
                "formats",
                names.filter((n) => (n === t.name ? e.target.checked : has(n))),
              );
            }}
          />
          {t.format}
        </label>
      ))}
      <span className="text-ink-soft">and a fallback of the old kind</span>
      {given && <Button onClick={() => set("formats", undefined)}>As by default</Button>}
    </fieldset>
  );
}

function Size({ draft, set, fails }: SetProps & FailProps) {
  const given = Object.entries((draft.size as Entries | undefined) ?? {})[0];
  const [mode, setMode] = useState<string>(given?.[0] ?? "");
  const [text, setText] = useState(given ? String(given[1]) : "");
  function change(nextMode: string, nextText: string) {
    setMode(nextMode);
    setText(nextText);
    const box = nextMode === "fit" || nextMode === "fill";
    const value = box ? nextText.toLowerCase().replaceAll(" ", "") : Number(nextText);
    const fits = box ? /^\d+x\d+$/.test(String(value)) : Number(value) > 0;
    fails("size", nextMode !== "" && !fits);
    set("size", nextMode && fits ? { [nextMode]: value } : undefined);
  }
  return (
    <fieldset className="grid gap-x-6 gap-y-3 sm:grid-cols-2">
      <legend className="mb-1 font-semibold">Size (only ever smaller)</legend>
      <select
        aria-label="Size by"
        value={mode}
        onChange={(e) => change(e.target.value, text)}
        className={FIELD}
      >
        <option value="">in their own proportions, up to the width below</option>
        {SIZES.map(([name, words]) => (
          <option key={name} value={name}>
            {words}
          </option>
        ))}
      </select>
      {mode && (
        <input
          aria-label="Size"
          value={text}
          onChange={(e) => change(mode, e.target.value)}
          className={FIELD}
        />
      )}
    </fieldset>
  );
}

type TypedProps = { field: (typeof TYPED)[number] } & SetProps & FailProps;

/** A value that is typed; an empty field asks for nothing. */
export function Typed({ field, draft, set, fails }: TypedProps) {
  const id = useId();
  const given = draft[field.name];
  const [text, setText] = useState(given === undefined ? "" : field.write(given));
  const wrong = text.trim() !== "" && field.read(text) === null;
  return (
    <label htmlFor={id} className="block">
      <span className="mb-1 block text-ink-soft">{field.words}</span>
      <input
        id={id}
        value={text}
        placeholder={field.hint}
        aria-invalid={wrong}
        onChange={(e) => {
          const value = e.target.value.trim() ? field.read(e.target.value) : undefined;
          setText(e.target.value);
          fails(field.name, value === null);
          set(field.name, value ?? undefined);
        }}
        className={FIELD}
      />
    </label>
  );
}
