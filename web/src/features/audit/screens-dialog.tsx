import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { siteQuery } from "@/shared/api/queries";
import { Button } from "@/shared/ui/basics";
import { DialogButton, FormEnd } from "@/shared/ui/dialog";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";

type Row = { key: number; name: string; values: string[]; dark?: boolean; touch?: boolean };

/** The screens a site is measured on and the connections its waiting times are told for, changed in place. */
export function ScreensDialog() {
  return (
    <DialogButton trigger="Change screens and connections" title="Screens and connections">
      {(close) => <Settings close={close} />}
    </DialogButton>
  );
}

function Settings({ close }: { close: () => void }) {
  const site = useSite();
  const queries = useQueryClient();
  const say = useNotice();
  const [screens, setScreens] = useState<Row[]>(() =>
    site.screens.map((s, key) => ({
      key,
      name: s.name,
      values: [s.width, s.height, s.density].map(String),
      dark: s.dark,
      touch: s.touch,
    })),
  );
  const [lines, setLines] = useState<Row[]>(() =>
    site.connections.map((c, key) => ({ key, name: c.name, values: [c.bits / 1000, c.wait_ms].map(String) })),
  );
  const [lazy, setLazy] = useState(site.lazy_attributes.join(" "));
  const change = useMutation({
    mutationFn: (body: Schemas["SiteChange"]) =>
      told(api.PATCH("/api/v1/sites/{site_id}", { params: { path: { site_id: site.id } }, body })),
    onSuccess: (now) => {
      queries.setQueryData(siteQuery(site.id).queryKey, now);
      void queries.invalidateQueries({ queryKey: ["measurement"] });
    },
  });
  function save(event: FormEvent) {
    event.preventDefault();
    const before = {
      screens: site.screens,
      connections: site.connections,
      lazy_attributes: site.lazy_attributes,
    };
    const wanted = {
      screens: screens.map(({ name, values, dark, touch }) => ({
        name: name.trim(),
        width: Number(values[0]),
        height: Number(values[1]),
        density: Number(values[2]),
        dark: dark ?? false,
        touch: touch ?? false,
      })),
      connections: lines.map(({ name, values }) => ({
        name: name.trim(),
        bits: Math.round(Number(values[0]) * 1000),
        wait_ms: Math.round(Number(values[1])),
      })),
      lazy_attributes: lazy.split(/[\s,]+/).filter(Boolean),
    };
    change.mutate(wanted, {
      onSuccess: () => {
        close();
        say("Screens and connections were changed; measure again to see new screens.", () =>
          change.mutate(before),
        );
      },
    });
  }
  return (
    <form onSubmit={save} className="space-y-6">
      <Rows
        title="Screens"
        heads={["Name", "Width, CSS px", "Height, CSS px", "Density"]}
        kinds
        rows={screens}
        change={setScreens}
        fresh={["1280", "800", "1"]}
        most={8}
      />
      <Rows
        title="Connections"
        heads={["Name", "kbit/s", "Round trip, ms"]}
        rows={lines}
        change={setLines}
        fresh={["5000", "80"]}
        most={10}
      />
      <label className="block">
        <span className="mb-1 block">Attributes from which the site's scripts load images</span>
        <textarea
          value={lazy}
          onChange={(e) => setLazy(e.target.value)}
          rows={2}
          spellCheck={false}
          className="figure w-full rounded border border-rule bg-paper px-2 py-1.5"
        />
        <span className="text-ink-soft">They count from the next capture on.</span>
      </label>
      <FormEnd
        error={change.error}
        submit="Keep these"
        disabled={change.isPending || !screens.length || !lines.length}
        close={close}
      />
    </form>
  );
}

type RowsProps = {
  title: string;
  heads: string[];
  rows: Row[];
  change: (rows: Row[]) => void;
  fresh: string[];
  most: number;
  /** Whether rows are of screens that can be by night or touched, for which pages may have other pictures. */
  kinds?: boolean;
};

const KINDS = [
  ["dark", "Dark", "prefers dark pages"],
  ["touch", "Touch", "is touched, not pointed at with a mouse"],
] as const;

/** An editable table of a name and numbers. */
function Rows({ title, heads, rows, change, fresh, most, kinds = false }: RowsProps) {
  const set = (at: number, part: Partial<Row>) =>
    change(rows.map((r, n) => (n === at ? { ...r, ...part } : r)));
  const look = "w-full rounded border border-rule bg-paper px-2 py-1";
  return (
    <fieldset>
      <legend className="mb-2 font-semibold">{title}</legend>
      <table className="w-full border-separate border-spacing-x-2 border-spacing-y-1">
        <thead className="text-ink-soft">
          <tr>
            {heads.map((h) => (
              <th key={h} scope="col" className="text-left align-bottom font-normal">
                {h}
              </th>
            ))}
            {kinds &&
              KINDS.map(([kind, head]) => (
                <th key={kind} scope="col" className="text-left align-bottom font-normal">
                  {head}
                </th>
              ))}
            <td />
          </tr>
        </thead>
        <tbody>
          {rows.map((row, at) => (
            <tr key={row.key}>
              <td>
                <input
                  aria-label={`${heads[0]} of ${title.toLowerCase()} ${at + 1}`}
                  value={row.name}
                  required
                  onChange={(e) => set(at, { name: e.target.value })}
                  className={look}
                />
              </td>
              {row.values.map((value, n) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: the columns never move
                <td key={n} className={kinds ? "w-[76px]" : "w-[110px]"}>
                  <input
                    aria-label={`${heads[n + 1]} of ${row.name}`}
                    value={value}
                    inputMode="decimal"
                    required
                    pattern="\d+(\.\d+)?"
                    title="A number"
                    onChange={(e) =>
                      set(at, { values: row.values.map((v, m) => (m === n ? e.target.value : v)) })
                    }
                    className={`${look} figure text-right`}
                  />
                </td>
              ))}
              {kinds &&
                KINDS.map(([kind, , words]) => (
                  <td key={kind} className="w-[44px]">
                    <input
                      type="checkbox"
                      aria-label={`${row.name} ${words}`}
                      checked={row[kind] ?? false}
                      onChange={(e) => set(at, { [kind]: e.target.checked })}
                    />
                  </td>
                ))}
              <td className="w-[64px]">
                <Button
                  onClick={() => change(rows.filter((_, n) => n !== at))}
                  disabled={rows.length === 1}
                  aria-label={`Drop ${row.name}`}
                >
                  Drop
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Button
        className="mt-1 ml-2"
        disabled={rows.length >= most}
        onClick={() =>
          change([...rows, { key: Math.max(-1, ...rows.map((r) => r.key)) + 1, name: "", values: fresh }])
        }
      >
        Add one
      </Button>
    </fieldset>
  );
}
