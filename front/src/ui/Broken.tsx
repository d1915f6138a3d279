import { Component, type ReactNode } from "react";
import { Action } from "./Button";

/** What stands instead of a view that failed: what happened, and the way on. Nothing that was saved is lost by it. */
export class Broken extends Component<{ children: ReactNode; view: string }, { error: Error | null }> {
  override state: { error: Error | null } = { error: null };

  static getDerivedStateFromError(error: Error) {
    return { error };
  }

  override componentDidUpdate(before: { view: string }) {
    if (before.view !== this.props.view && this.state.error) this.setState({ error: null });
  }

  override render() {
    const { error } = this.state;
    if (!error) return this.props.children;
    return (
      <main role="alert" className="flex flex-1 flex-col gap-3 p-8">
        <h1 className="text-[20px] font-bold">This view could not be shown</h1>
        <p className="max-w-[560px]">
          What was saved is safe. Load the page again. If this comes back, go to another station, and tell whoever looks after Etiquette
          what is written here:
        </p>
        <p className="font-code text-slate">{error.message}</p>
        <div className="w-[280px]">
          <Action looks main onClick={() => location.reload()}>
            Load the page again
          </Action>
        </div>
      </main>
    );
  }
}
