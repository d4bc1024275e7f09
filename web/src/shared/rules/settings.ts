/** What rules can ask for: each setting's name as in the TOML, its words, and how it is typed. */
import type { Schemas } from "@/shared/api/client";
import { bytes, parseBytes } from "@/shared/format/figures";

export type Tables = Schemas["RuleTables"];
export type Entries = Record<string, unknown>;

type Typed = {
  name: string;
  words: string;
  hint: string;
  write: (value: unknown) => string;
  /** What is typed as a value; null where it is none. */
  read: (text: string) => unknown;
};
type Choices = {
  name: string;
  words: string;
  /** The one that holds where nothing is said. */
  usual: string;
  choices: readonly (readonly [string, string])[];
};

const number = (text: string) => {
  const value = Number(text.replace(/[,\s]/g, "").replace(/%$/, ""));
  return text.trim() && Number.isFinite(value) ? value : null;
};
const share = (text: string) => {
  const value = number(text);
  return value === null ? null : value / 100;
};
const perCent = (value: unknown) => String(Number(value) * 100);
const numbers = (text: string) => {
  const found = text
    .split(/[,;\s]+/)
    .filter(Boolean)
    .map(Number);
  return found.length > 0 && found.every((n) => Number.isInteger(n) && n > 0) ? found : null;
};
const listed = (value: unknown) => (Array.isArray(value) ? value.join(", ") : "");
const plain = (value: unknown) => String(value);

/** "2000 longest", "25 %", "within 1200x800", "fill 800x800": the sizes of pictures alone. */
export const SIZES = [
  ["longest", "pixels on the longer side"],
  ["width", "pixels wide"],
  ["height", "pixels high"],
  ["percent", "per cent of both sides"],
  ["fit", "within a box like 1200x800"],
  ["fill", "cut to fill a box like 800x800"],
] as const;

export const TYPED: readonly Typed[] = [
  { name: "max_width", words: "No wider than", hint: "1920", write: plain, read: number },
  { name: "density", words: "Pixels a CSS pixel, at most", hint: "2", write: plain, read: number },
  {
    name: "widths",
    words: "Widths where nothing was measured",
    hint: "480, 960",
    write: listed,
    read: numbers,
  },
  { name: "leave_below", words: "Left alone under", hint: "6 kB", write: size, read: parseBytes },
  { name: "format_bytes", words: "A format must save a file", hint: "2 kB", write: size, read: parseBytes },
  { name: "format_share", words: "A format must save, in per cent", hint: "10", write: perCent, read: share },
  {
    name: "replacement_bytes",
    words: "Replaced from so much less on",
    hint: "1 kB",
    write: size,
    read: parseBytes,
  },
  { name: "replacement_share", words: "Or from per cent less on", hint: "5", write: perCent, read: share },
  { name: "most_widths", words: "Widths of one image, at most", hint: "6", write: plain, read: number },
  {
    name: "dense_less",
    words: "Points less for dense screens alone",
    hint: "10",
    write: plain,
    read: number,
  },
];
export const PICTURES_ALONE: readonly Typed[] = [
  { name: "picture_widths", words: "Widths of each", hint: "960, 1920", write: listed, read: numbers },
];

export const SWITCHES: readonly Choices[] = [
  {
    name: "metadata",
    words: "Metadata",
    usual: "none",
    choices: [
      ["none", "nothing kept"],
      ["copyright", "copyright and artist kept"],
      ["keep", "all but orientation and preview kept"],
    ],
  },
  {
    name: "effort",
    words: "Encoders work",
    usual: "thorough",
    choices: [
      ["thorough", "thoroughly"],
      ["quick", "quickly, in more bytes"],
    ],
  },
  {
    name: "bits",
    words: "Bits of AVIF",
    usual: "0",
    choices: [
      ["0", "as the look asks"],
      ["8", "8"],
      ["10", "10"],
    ],
  },
  {
    name: "colours",
    words: "Colours of a palette",
    usual: "256",
    choices: [
      ["256", "up to 256"],
      ["16", "up to 16"],
      ["4", "up to 4"],
      ["2", "2"],
    ],
  },
  {
    name: "fallback_format",
    words: "Fallback",
    usual: "suited",
    choices: [
      ["suited", "as suits the picture"],
      ["original", "in the original's format"],
      ["jpeg", "JPEG"],
      ["png", "PNG"],
    ],
  },
  onOff("sharpen", "Sharpening", "a little after strong reduction", "none"),
  onOff("lossless", "Loss", "none where a format can", "where that is smaller"),
  onOff("full_chroma", "Colours", "at full resolution", "halved where nobody sees it"),
  onOff("keep_p3", "Display P3 pictures", "stay in their wide gamut", "become sRGB"),
  onOff("animations", "Animations", "are converted", "stay as they are", "true"),
  onOff("svg", "Vector drawings", "become smaller", "stay as they are", "true"),
  onOff("svg_scripts", "Scripts in vector drawings", "are taken out", "stay"),
];

function onOff(name: string, words: string, on: string, off: string, usual = "false"): Choices {
  return {
    name,
    words,
    usual,
    choices: [
      ["true", on],
      ["false", off],
    ],
  };
}

function size(value: unknown): string {
  return typeof value === "number" ? bytes(value) : String(value);
}

/** A value as it is chosen in a list; switches are written as words. */
export const chosen = (value: unknown) => (value === undefined ? "" : String(value));
export const unchosen = (text: string): unknown =>
  text === "true" ? true : text === "false" ? false : /^\d+$/.test(text) ? Number(text) : text;

/** The tables with one part replaced; entries that say nothing are dropped. */
export function withPart(tables: Tables, part: string, number: number, entries: Entries): Tables {
  const said = Object.fromEntries(Object.entries(entries).filter(([, value]) => value !== undefined));
  if (part === "site") return { ...tables, site: said };
  if (part === "all" || part === "roles") return { ...tables, all: said };
  const rule = [...(tables.rule ?? [])];
  rule[number] = said;
  return { ...tables, rule };
}
