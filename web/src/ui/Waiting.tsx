/** The shape of a view while what it shows is on its way. */
export function Waiting({ words, rows = 8 }: { words: string; rows?: number }) {
  return (
    <div className="work">
      <div className="waiting" role="status">
        <span className="soft">{words}</span>
        <WaitingRows rows={rows} />
      </div>
    </div>
  );
}

/** Lines where rows will be. */
export function WaitingRows({ rows = 8 }: { rows?: number }) {
  return (
    <div className="waiting-rows" aria-hidden="true">
      {Array.from({ length: rows }, (_, row) => (
        <i key={row} />
      ))}
    </div>
  );
}
