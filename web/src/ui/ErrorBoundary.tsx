import { Component, type ErrorInfo, type ReactNode } from "react";

interface Props {
  /** Where this is; another place begins anew. */
  at: string;
  children: ReactNode;
}

interface State {
  error: Error | null;
  at: string;
}

/** Says what happened where a part of the page cannot be drawn; the rest of it stays in use. */
export class ErrorBoundary extends Component<Props, State> {
  override state: State = { error: null, at: this.props.at };

  static getDerivedStateFromError(error: Error): Partial<State> {
    return { error };
  }

  static getDerivedStateFromProps({ at }: Props, state: State): State | null {
    return at === state.at ? null : { error: null, at };
  }

  override componentDidCatch(error: Error, info: ErrorInfo) {
    console.error(error, info.componentStack);
  }

  override render() {
    const { error } = this.state;
    if (!error) return this.props.children;
    return (
      <div className="work">
        <div className="empty" role="alert">
          <h1>This part cannot be shown</h1>
          <span className="soft">
            What was saved is safe. The reason, for whoever mends it: <code>{error.message}</code>
          </span>
          <button
            type="button"
            className="quiet-button"
            onClick={() => {
              this.setState({ error: null });
            }}
          >
            Try again
          </button>
          <button
            type="button"
            className="quiet-button"
            onClick={() => {
              location.reload();
            }}
          >
            Reload the page
          </button>
        </div>
      </div>
    );
  }
}
