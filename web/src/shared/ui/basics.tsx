import type { ButtonHTMLAttributes, ReactNode } from "react";

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & { tone?: "main" | "plain" };

const TONES = {
  main: "bg-thistle text-paper border-thistle hover:brightness-110 px-4 py-2 font-semibold",
  plain: "bg-card text-ink border-rule hover:border-thistle px-3 py-1.5",
};

/** A button whose words say what happens. */
export function Button({ tone = "plain", className = "", type = "button", ...rest }: ButtonProps) {
  return (
    <button
      type={type}
      className={`inline-flex items-center gap-2 rounded border disabled:opacity-50 ${TONES[tone]} ${className}`}
      {...rest}
    />
  );
}

export const buttonLook = `inline-flex items-center gap-2 rounded border no-underline ${TONES.main}`;

/** The head of a screen: its title, and a sentence that says where things stand. */
export function Title({ children, says, side }: { children: ReactNode; says?: ReactNode; side?: ReactNode }) {
  return (
    <header className="mb-6 flex flex-wrap items-end justify-between gap-4">
      <div>
        <h1>{children}</h1>
        {says && <p className="mt-1 max-w-[70ch] text-ink-soft">{says}</p>}
      </div>
      {side}
    </header>
  );
}

/** A path on one line. Where room is short, it is cut at its beginning: its end tells it from others of its folder. */
export function PathWords({ path, title }: { path: string; title?: string }) {
  return (
    <span
      className="block truncate text-left [direction:rtl]"
      title={[path, title].filter(Boolean).join(": ")}
    >
      <bdi dir="ltr">{path}</bdi>
    </span>
  );
}

/** `screen`: there is nothing else on the screen yet, so it has the heading that every screen has. */
export function Loading({ what, screen }: { what: string; screen?: boolean }) {
  return (
    <>
      {screen && <h1 className="sr-only">Loading {what}</h1>}
      <p role="status" className="py-8 text-ink-soft">
        Loading {what} …
      </p>
    </>
  );
}

export function Failed({ error, again, screen }: { error: Error; again?: () => void; screen?: boolean }) {
  return (
    <div role="alert" className="rounded border border-madder bg-card p-4">
      {screen && <h1 className="sr-only">This could not be loaded</h1>}
      <p className="text-madder">{error.message}</p>
      {again && (
        <Button className="mt-3" onClick={again}>
          Try again
        </Button>
      )}
    </div>
  );
}

export function Empty({ children }: { children: ReactNode }) {
  return (
    <div className="rounded border border-dashed border-rule p-8 text-center text-ink-soft">{children}</div>
  );
}

/** Done over total, as a bar and for screen readers. */
export function Progress({ done, total, label }: { done: number; total: number; label: string }) {
  const share = total > 0 ? done / total : 0;
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={total}
      aria-valuenow={done}
      className="h-3 overflow-hidden rounded border border-rule bg-card"
    >
      <div className="h-full bg-thistle transition-[width]" style={{ width: `${share * 100}%` }} />
    </div>
  );
}

/** A pair of figure and its name, for facts in a row. */
export function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div>
      <dt className="text-ink-soft">{name}</dt>
      <dd className="figure">{children}</dd>
    </div>
  );
}
