import { Button } from "@/shared/ui/basics";
import { Key } from "./acts";

type Props = {
  frame: number;
  frames: number;
  worst: number;
  playing: boolean;
  step: (by: number) => void;
  play: (on: boolean) => void;
};

/** The frames of an animation, one by one from the worst, or both animations playing. */
export function Frames({ frame, frames, worst, playing, step, play }: Props) {
  return (
    <p className="mt-1.5 flex flex-wrap items-center gap-2">
      <Button onClick={() => step(-1)} disabled={playing} aria-label="Frame before">
        ← <Key>[</Key>
      </Button>
      <span aria-live="polite">
        {playing
          ? `${frames} frames, playing`
          : `frame ${frame + 1} of ${frames}${frame === worst ? ", the worst" : ""}`}
      </span>
      <Button onClick={() => step(1)} disabled={playing} aria-label="Frame after">
        → <Key>]</Key>
      </Button>
      <Button onClick={() => play(!playing)}>
        {playing ? "Stand still" : "Play both"} <Key>p</Key>
      </Button>
    </p>
  );
}
