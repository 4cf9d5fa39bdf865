"use client";
import { Component, type ReactNode } from "react";

interface Props {
  /** What stands in its place when something in it fails. */
  readonly instead: ReactNode;
  readonly children: ReactNode;
}

/** Keeps a failure to the part of the page in which it happens. */
export class ErrorBoundary extends Component<Props, { readonly failed: boolean }> {
  override state = { failed: false };

  static getDerivedStateFromError(): { readonly failed: boolean } {
    return { failed: true };
  }

  override render(): ReactNode {
    return this.state.failed ? this.props.instead : this.props.children;
  }
}
