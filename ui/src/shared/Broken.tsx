import { Component, type ReactNode } from 'react';

interface Props {
  place: string;
  children: ReactNode;
}

/** Keeps a fault in one view from taking the whole page away. */
export class Broken extends Component<Props, { fault: Error | null }> {
  override state: { fault: Error | null } = { fault: null };

  static getDerivedStateFromError(fault: Error) {
    return { fault };
  }

  override componentDidUpdate(before: Props) {
    if (before.place !== this.props.place && this.state.fault) this.setState({ fault: null });
  }

  override render() {
    if (!this.state.fault) return this.props.children;
    return (
      <div className="empty" role="alert">
        <strong>Something went wrong inside this view.</strong>
        <span>Nothing was changed by it. What was said: {this.state.fault.message}</span>
        <button className="link underlined" onClick={() => this.setState({ fault: null })}>
          Show it again
        </button>
      </div>
    );
  }
}
