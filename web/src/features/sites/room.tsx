import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { bytes, counted } from "@/shared/format/figures";
import { Button, Failed, Loading } from "@/shared/ui/basics";
import { DialogButton, FormEnd } from "@/shared/ui/dialog";
import { useNotice } from "@/shared/ui/notices";

const NAMES: Record<Schemas["Room"]["kind"], string> = {
  contents: "Pictures, pages and what was made of them",
  kept: "Renditions kept, so that none is encoded twice",
  database: "Database",
  uploads: "Uploaded archives not read yet",
  staging: "Unpacked or fetched, still being read",
};

/** What the application's own folder holds, and how to get rid of what nothing needs. */
export function Room() {
  const [open, setOpen] = useState(false);
  return (
    <section aria-label="Room on the disk" className="mt-12 text-ink-soft">
      {open ? (
        <Parts />
      ) : (
        <Button onClick={() => setOpen(true)} className="border-transparent bg-transparent px-0">
          Show the room taken on this disk
        </Button>
      )}
    </section>
  );
}

function Parts() {
  const queries = useQueryClient();
  const say = useNotice();
  const room = useQuery({ queryKey: ["room"], queryFn: () => told(api.GET("/api/v1/room")) });
  const clear = useMutation({
    mutationFn: () => told(api.POST("/api/v1/room/clear")),
    onSuccess: (freed) => {
      say(`${bytes(freed.bytes)} freed.`);
      void queries.invalidateQueries({ queryKey: ["room"] });
    },
  });
  if (room.isPending) return <Loading what="the room taken" />;
  if (room.isError) return <Failed error={room.error} again={() => room.refetch()} />;
  const spare = room.data.reduce((sum, part) => sum + part.spare, 0);
  return (
    <>
      <h2 className="font-serif text-[19px] text-ink">Room taken on this disk</h2>
      <dl className="my-3 grid max-w-[560px] grid-cols-[1fr_auto_auto] gap-x-8 gap-y-1">
        {room.data.map((part) => (
          <div key={part.kind} className="contents">
            <dt>{NAMES[part.kind]}</dt>
            <dd className="figure text-right">{counted(part.files, "file")}</dd>
            <dd className="figure text-right text-ink">{bytes(part.bytes)}</dd>
          </div>
        ))}
      </dl>
      {spare > 0 ? (
        <DialogButton
          trigger={`Clear ${bytes(spare)} that nothing needs`}
          title={`Clear ${bytes(spare)} for good?`}
        >
          {(close) => (
            <form
              className="grid gap-4"
              onSubmit={(event) => {
                event.preventDefault();
                clear.mutate(undefined, { onSuccess: close });
              }}
            >
              <p>
                Sites that were taken off the list and left-overs of readings that broke off go; they can't be
                put back. Sites on the list keep everything.
              </p>
              <FormEnd error={clear.error} submit="Clear for good" disabled={clear.isPending} close={close} />
            </form>
          )}
        </DialogButton>
      ) : (
        <p>Everything is needed by a site on the list.</p>
      )}
    </>
  );
}
