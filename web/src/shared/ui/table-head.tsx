/** The head of a small table; an empty word is a column of links, named for screen readers only. */
export function TableHead({ words, gap = "pr-8" }: { words: readonly string[]; gap?: string }) {
  return (
    <thead className="text-ink-soft">
      <tr className="border-b border-rule">
        {words.map((word) => (
          <th key={word} scope="col" className={`py-1.5 ${gap}`}>
            {word || <span className="sr-only">Open</span>}
          </th>
        ))}
      </tr>
    </thead>
  );
}
