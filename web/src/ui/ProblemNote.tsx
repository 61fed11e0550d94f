/** What went wrong and what to do, where it happened. */
export function ProblemNote({ error, again }: { error: Error; again?: () => void }) {
  return (
    <div className="notice" role="alert">
      <b>Not done:</b>
      <span>{error.message}</span>
      {again && (
        <button type="button" className="quiet-button" onClick={again}>
          Try again
        </button>
      )}
    </div>
  );
}
