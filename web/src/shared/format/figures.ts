/** Figures as they are written everywhere: kB = 1,000 bytes, MB = 1,000,000 bytes. */

const whole = new Intl.NumberFormat("en", { maximumFractionDigits: 0 });
const tenth = new Intl.NumberFormat("en", { minimumFractionDigits: 1, maximumFractionDigits: 1 });
const moment = new Intl.DateTimeFormat("en", { dateStyle: "medium", timeStyle: "short" });

export function count(n: number): string {
  return whole.format(n);
}

/** "1 page", "24 pages". */
export function counted(n: number, one: string, many = `${one}s`): string {
  return `${whole.format(n)} ${n === 1 ? one : many}`;
}

export function bytes(n: number): string {
  if (Math.abs(n) < 1_000) return `${n} B`;
  if (Math.abs(n) < 9_950) return `${tenth.format(n / 1_000)} kB`;
  if (Math.abs(n) < 999_500) return `${whole.format(n / 1_000)} kB`;
  if (Math.abs(n) < 999_950_000) return `${tenth.format(n / 1_000_000)} MB`;
  return `${tenth.format(n / 1_000_000_000)} GB`;
}

/** The share saved, as "92 % less"; "nothing saved" where nothing was. */
export function less(before: number, after: number): string {
  if (before <= 0 || after >= before) return "nothing saved";
  const share = (1 - after / before) * 100;
  // Nothing is "100 % less" while something is left.
  return `${share < 99.5 || after === 0 ? whole.format(share) : tenth.format(Math.min(share, 99.9))} % less`;
}

/** "214 kB over", "in budget by 1.2 MB". */
export function against(used: number, allowed: number): string {
  return used > allowed ? `${bytes(used - allowed)} over` : `${bytes(allowed - used)} to spare`;
}

export function duration(seconds: number): string {
  if (seconds < 90) return counted(Math.max(1, Math.round(seconds)), "second");
  return `${whole.format(seconds / 60)} minutes`;
}

/** A time from the server, as here and now. */
export function when(time: string): string {
  return moment.format(new Date(time));
}

export function secondsBetween(start: string, end: string): number {
  return (new Date(end).getTime() - new Date(start).getTime()) / 1000;
}

/** 1.5 MB, 300 kB or plain bytes as a person types them; null where that is no size. */
export function parseBytes(text: string): number | null {
  const found = /^\s*([\d.,]+)\s*(b|kb|mb)?\s*$/i.exec(text);
  if (!found?.[1]) return null;
  const number = Number(found[1].replace(/,/g, ""));
  const unit = { b: 1, kb: 1_000, mb: 1_000_000 }[(found[2] ?? "b").toLowerCase()] ?? 1;
  const size = Math.round(number * unit);
  return Number.isFinite(size) && size > 0 ? size : null;
}

export function fileName(path: string): string {
  return path.slice(path.lastIndexOf("/") + 1);
}
