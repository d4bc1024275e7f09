import { Button } from "./basics";
import { useNotice } from "./notices";

/** Puts a text into the clipboard, and says so. */
export function CopyButton({ text, what }: { text: string; what: string }) {
  const say = useNotice();
  const copy = () => {
    navigator.clipboard.writeText(text).then(
      () => say(`Copied ${what}.`),
      () => say("This browser does not let pages copy; mark the text and copy it by hand."),
    );
  };
  return <Button onClick={copy}>Copy {what}</Button>;
}
