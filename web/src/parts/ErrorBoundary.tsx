import { Component, type ReactNode } from 'react';
import { Button } from './Button.tsx';
import { ProblemMessage } from './Messages.tsx';

interface BoundaryProps {
  readonly children: ReactNode;
}

/** A page that fails says so, and how to go on; everything around it stays. */
export class ErrorBoundary extends Component<BoundaryProps, { readonly message: string | undefined }> {
  override state: { readonly message: string | undefined } = { message: undefined };

  static getDerivedStateFromError(error: unknown): { message: string } {
    return { message: error instanceof Error ? error.message : String(error) };
  }

  override render(): ReactNode {
    const { message } = this.state;
    if (message === undefined) return this.props.children;
    return (
      <div className="max-w-[640px] p-6">
        <ProblemMessage action={<Button onClick={() => window.location.reload()}>Load it again</Button>}>
          This page could not be shown: {message}. Nothing is lost; what you typed last is kept in this browser.
        </ProblemMessage>
      </div>
    );
  }
}
