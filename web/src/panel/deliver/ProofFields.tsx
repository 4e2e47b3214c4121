import { useRef } from "react";

import { useProfiles } from "../../api/queries";
import { bringProfile, changeProof, forgetProfile, type Proof, setProofing, useProofing } from "../../state/proofing";
import { Folded } from "../Folded";
import { ChoiceRow, SwitchRow } from "./rows";
import { SPACES } from "./words";

const INTENTS: Record<Proof["intent"], string> = {
  relative: "Relative",
  perceptual: "Perceptual",
  saturation: "Saturation",
  absolute: "Absolute",
};

/** The picture as a printer, a paper or another screen will show it, while one works on. */
export function ProofFields() {
  const { on, proof } = useProofing();
  const own = useProfiles().data ?? [];
  const file = useRef<HTMLInputElement>(null);
  const names = [...Object.entries(SPACES), ...own.map(({ name }): [string, string] => [name, name])] as [
    string,
    string,
  ][];
  const title = names.find(([name]) => name === proof.profile)?.[1] ?? proof.profile;
  return (
    <Folded name="soft-proof" title="Soft proof" aside={on ? title : undefined}>
      <SwitchRow label="Shown as it will be" title="At every station (Shift O)" on={on} set={setProofing} />
      <ChoiceRow label="Profile" value={proof.profile} choices={names} set={(profile) => changeProof({ profile })} />
      <div className="buttons">
        <button className="quiet" onClick={() => file.current?.click()}>
          bring a profile in
        </button>
        {own.some((p) => p.name === proof.profile) && (
          <button className="quiet" onClick={() => void forgetProfile(proof.profile)}>
            forget it
          </button>
        )}
        <input
          ref={file}
          type="file"
          accept=".icc,.icm"
          hidden
          data-testid="profile-file"
          onChange={(e) => {
            if (e.target.files?.[0]) void bringProfile(e.target.files[0]);
            e.target.value = "";
          }}
        />
      </div>
      <ChoiceRow label="Intent" value={proof.intent} choices={INTENTS} set={(intent) => changeProof({ intent })} />
      <SwitchRow
        label="Black to its black"
        title="Black point compensation; not of the absolute intent"
        on={proof.black_point}
        set={(black_point) => changeProof({ black_point })}
      />
      <SwitchRow
        label="Paper's white and black"
        title="As they are beside the screen's"
        on={proof.paper}
        set={(paper) => changeProof({ paper })}
      />
      <SwitchRow label="Outline what it cannot show" on={proof.marks} set={(marks) => changeProof({ marks })} />
    </Folded>
  );
}
