import { create } from "zustand";

interface Message {
  id: number;
  text: string;
  kind: "fault" | "note";
}

let next = 1;

export const useMessages = create<{ list: Message[] }>(() => ({ list: [] }));

export function tell(text: string, kind: Message["kind"] = "fault") {
  useMessages.setState((s) =>
    s.list.some((m) => m.text === text) ? s : { list: [...s.list.slice(-2), { id: next++, text, kind }] },
  );
}

export function dismiss(id: number) {
  useMessages.setState((s) => ({ list: s.list.filter((m) => m.id !== id) }));
}

/** Run something and tell the user if it fails. */
export async function told<T>(work: Promise<T>): Promise<T | undefined> {
  try {
    return await work;
  } catch (fault) {
    tell(fault instanceof Error ? fault.message : String(fault));
    return undefined;
  }
}
