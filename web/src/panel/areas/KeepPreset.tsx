import type { Area } from "../../api/client";
import { keepPreset } from "../../state/clipboard";
import { NameInput } from "../NameInput";

/** An entry of a menu in which a name is typed: areas are kept by it, for any scene. */
export function KeepPreset({ label, areas, done }: { label: string; areas: Area[]; done: () => void }) {
  const keep = (name: string) => {
    done();
    void keepPreset(name, areas);
    return true;
  };
  return (
    <li className="keep">
      <NameInput label={label} name="" longest={60} placeholder={`${label}…`} onName={keep} />
    </li>
  );
}
