import type { ReactNode } from "react";
import type { Schemas } from "@/shared/api/client";
import { useSite } from "./site-context";
import { useTier, useVocabulary } from "./vocabulary";

/** What a visit is looked at for, kept in the address: screen, part of the visit, audience tier and connection. */
export type View = { screen: string; tier: string; part: "opening" | "scrolled"; line: string };

const PARTS = [
  ["opening", "at opening"],
  ["scrolled", "scrolled through"],
] as const;

export const ANY_SCREEN = "";
const RECORDED = "recorded";

export function readView(search: Record<string, unknown>): Partial<View> {
  const found: Partial<View> = {};
  for (const key of ["screen", "tier", "line"] as const) {
    const value = search[key];
    if (typeof value === "string" && value) found[key] = value;
  }
  if (search.part === "scrolled") found.part = "scrolled";
  return found;
}

export function withDefaults(view: Partial<View>): View {
  return { screen: ANY_SCREEN, tier: "", part: "opening", line: "", ...view };
}

/** Where the chosen connection stands among the site's; without a choice the middle one. */
export function lineIndex(connections: Schemas["Connection"][], name: string): number {
  const found = connections.findIndex((c) => c.name === name);
  return found >= 0 ? found : Math.floor(connections.length / 2);
}

type PickProps = {
  label: string;
  value: string;
  choices: readonly (readonly [string, string])[];
  onChange: (value: string) => void;
};

/** A word of a sentence that can be changed where it stands. */
export function Pick({ label, value, choices, onChange }: PickProps) {
  return (
    <select
      aria-label={label}
      value={value}
      onChange={(e) => onChange(e.target.value)}
      className="word max-w-full"
    >
      {choices.map(([key, words]) => (
        <option key={key} value={key}>
          {words}
        </option>
      ))}
    </select>
  );
}

type Screen = Schemas["Screen"];
type Props = {
  view: View;
  change: (part: Partial<View>) => void;
  /** The screens of a measurement, or names with their words. */
  screens: readonly Screen[] | readonly (readonly [string, string])[];
  /** Whether pages counted without any screen can be chosen too. */
  any?: boolean;
  /** Which words there are besides the screen's. */
  words: readonly ("part" | "tier" | "line")[];
  children: ReactNode;
};

/** "On a phone, at opening, for browsers that show AVIF, on 1.6 Mbit/s: …", each word changed in place. */
export function ViewSentence({ view, change, screens, any = false, words, children }: Props) {
  const site = useSite();
  const { tiers } = useVocabulary();
  const tier = useTier(view.tier);
  const choices = screens.map((s) => ("name" in s ? screenWords(s) : s));
  if (any) choices.unshift([ANY_SCREEN, "any screen, counted by reference"]);
  const seen = view.screen !== ANY_SCREEN;
  return (
    <p className="my-5 max-w-[85ch] text-[16px] leading-loose">
      On{" "}
      <Pick label="Screen" value={view.screen} choices={choices} onChange={(screen) => change({ screen })} />
      {seen && words.includes("part") && (
        <>
          ,{" "}
          <Pick
            label="Part of the visit"
            value={view.part}
            choices={PARTS}
            onChange={(part) => change({ part: part === "scrolled" ? "scrolled" : "opening" })}
          />
        </>
      )}
      {seen && words.includes("tier") && (
        <>
          , for{" "}
          <Pick
            label="Audience tier"
            value={tier.name}
            choices={tiers.map((t) => [t.name, t.words] as const)}
            onChange={(name) => change({ tier: name })}
          />
        </>
      )}
      {seen && words.includes("line") && (
        <>
          , on{" "}
          <Pick
            label="Connection"
            value={site.connections[lineIndex(site.connections, view.line)]?.name ?? ""}
            choices={site.connections.map((c) => [c.name, c.name] as const)}
            onChange={(line) => change({ line })}
          />
        </>
      )}
      : {children}
    </p>
  );
}

function screenWords(screen: Screen): readonly [string, string] {
  if (screen.name === RECORDED) return [RECORDED, "the screen of the recording"];
  return [
    screen.name,
    `a ${screen.name} of ${screen.width} × ${screen.height} @${screen.density}${screen.dark ? ", dark" : ""}`,
  ];
}
