import { type ReactNode, useId, useRef, useState } from "react";
import { Button } from "./basics";

type Props = {
  trigger: string;
  /** What the button is called where others beside it show the same word. */
  label?: string;
  title: string;
  wide?: boolean;
  children: (close: () => void) => ReactNode;
};

/**
 * A button that opens a dialog over the page. The browser's own `dialog` keeps the focus inside, closes on Escape and
 * needs no styles written by script, which the content policy forbids. What is inside starts afresh at each opening.
 */
export function DialogButton({ trigger, label, title, wide, children }: Props) {
  const dialog = useRef<HTMLDialogElement>(null);
  const heading = useId();
  const [open, setOpen] = useState(false);
  const close = () => dialog.current?.close();
  return (
    <>
      <Button
        aria-haspopup="dialog"
        aria-label={label}
        onClick={() => {
          setOpen(true);
          dialog.current?.showModal();
        }}
      >
        {trigger}
      </Button>
      <dialog
        ref={dialog}
        aria-labelledby={heading}
        onClose={() => setOpen(false)}
        className={`m-auto max-h-[90vh] max-w-[94vw] overflow-auto rounded border border-rule bg-card p-6 text-ink shadow-md backdrop:bg-ink/30 ${wide ? "w-[860px]" : "w-[620px]"}`}
      >
        <h2 id={heading} className="mb-4">
          {title}
        </h2>
        {open && children(close)}
      </dialog>
    </>
  );
}

type EndProps = { error: Error | null; submit: string; disabled: boolean; close: () => void };

/** The end of a form in a dialog: what went wrong, the way out, and what keeping it does. */
export function FormEnd({ error, submit, disabled, close }: EndProps) {
  return (
    <>
      {error && (
        <p role="alert" className="text-madder">
          {error.message}
        </p>
      )}
      <div className="flex justify-end gap-3">
        <Button onClick={close}>Leave as it was</Button>
        <Button type="submit" tone="main" disabled={disabled}>
          {submit}
        </Button>
      </div>
    </>
  );
}
