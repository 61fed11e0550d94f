import { useEffect, useEffectEvent, useRef } from "react";

/** Asks one question at a time; of those that come meanwhile only the last is asked, and it comes next. */
export class Latest<Asked> {
  private busy = false;
  private next: { asked: Asked } | undefined;
  private readonly answer: (asked: Asked) => Promise<void>;

  /** `answer` asks and takes the answer in; it handles its failures itself. */
  constructor(answer: (asked: Asked) => Promise<void>) {
    this.answer = answer;
  }

  ask(asked: Asked) {
    if (this.busy) this.next = { asked };
    else void this.go(asked);
  }

  /** Drops what waits, as when nobody looks any more. */
  drop() {
    this.next = undefined;
  }

  private async go(asked: Asked) {
    this.busy = true;
    try {
      await this.answer(asked);
    } finally {
      this.busy = false;
      const { next } = this;
      this.next = undefined;
      if (next) this.ask(next.asked);
    }
  }
}

/** Asks as something is dragged: one request in flight, and the last position wins. */
export function useLatest<Asked>(answer: (asked: Asked) => Promise<void>): (asked: Asked) => void {
  const call = useEffectEvent(answer);
  const latest = useRef<Latest<Asked>>(undefined);
  useEffect(() => {
    const mine = new Latest<Asked>((asked) => call(asked));
    latest.current = mine;
    return () => {
      mine.drop();
    };
  }, []);
  return (asked) => {
    latest.current?.ask(asked);
  };
}
