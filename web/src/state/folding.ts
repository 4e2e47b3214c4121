import { create } from "zustand";

/** Headings that were opened or closed by hand, by step; others are as their step says. */
export const useFolding = create<{ open: Record<string, boolean> }>(() => ({ open: {} }));

export const toggle = (step: string, open: boolean) =>
  useFolding.setState((s) => ({ open: { ...s.open, [step]: open } }));
