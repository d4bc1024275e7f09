import type { Schemas } from "@/shared/api/client";
import { Button } from "@/shared/ui/basics";
import type { Said } from "./proof-view";
import { looks } from "./use-verdict";

type ActsProps = {
  say: (said: Said | null) => void;
  go: (step: number) => void;
  undo: () => void;
  row: Schemas["ProofRow"];
  note: string;
  setNote: (note: string) => void;
  field: React.RefObject<HTMLInputElement | null>;
  hold: (on: boolean) => void;
};

/** What can be said of an image, and where to go from it. */
export function Acts({ say, go, undo, row, note, setNote, field, hold }: ActsProps) {
  return (
    <div className="mt-2 flex flex-wrap items-center gap-2">
      <Button tone="main" onClick={() => say("accept")}>
        Accept <Key>a</Key>
      </Button>
      <Button onClick={() => say("hold")}>
        Hold: the original stays <Key>h</Key>
      </Button>
      <Button onClick={() => say("tighter")}>
        Anew, tighter ({looks(row, "tighter")}) <Key>t</Key>
      </Button>
      <Button onClick={() => say("lighter")}>
        Anew, lighter ({looks(row, "lighter")}) <Key>l</Key>
      </Button>
      <Button
        onPointerDown={() => hold(true)}
        onPointerUp={() => hold(false)}
        onPointerLeave={() => hold(false)}
      >
        Press for the original <Key>space</Key>
      </Button>
      <form
        className="flex min-w-[160px] flex-1 items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          say(row.said);
        }}
      >
        <input
          ref={field}
          value={note}
          onChange={(event) => setNote(event.target.value)}
          maxLength={2000}
          aria-label="Note"
          placeholder="note (n), Enter keeps it"
          className="field min-w-0 flex-1"
        />
      </form>
      <span className="flex gap-2">
        <Button aria-label="Previous image" onClick={() => go(-1)}>
          ← <Key>,</Key>
        </Button>
        <Button aria-label="Next image" onClick={() => go(1)}>
          → <Key>.</Key>
        </Button>
        <Button onClick={undo}>
          Undo <Key>u</Key>
        </Button>
      </span>
    </div>
  );
}

/** The key that does the same as the button it stands in. */
export function Key({ children }: { children: string }) {
  return (
    <span aria-hidden="true" className="rounded border border-current px-1 text-[11px] opacity-80">
      {children}
    </span>
  );
}
