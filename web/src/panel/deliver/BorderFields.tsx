import type { Output } from "../../api/client";
import { ChoiceRow, NumberRow, SwitchRow, TextRow } from "./rows";

type Border = NonNullable<Output["border"]>;

const SHADES: Record<Border["shade"], string> = { white: "White", grey: "Grey", black: "Black" };
const USUAL: Border = { width: 3, shade: "white", caption: "" };

/** What goes round the picture that is delivered, if anything does. */
export function BorderFields({ border, set }: { border: Border | null; set: (border: Border | null) => void }) {
  return (
    <>
      <SwitchRow
        label="Border"
        title="A border round the picture, with a line of caption if wanted"
        on={border !== null}
        set={(on) => set(on ? USUAL : null)}
      />
      {border && (
        <>
          <NumberRow
            label="Width, of the long edge"
            unit="%"
            value={border.width}
            low={0}
            high={25}
            set={(width) => set({ ...border, width: width ?? USUAL.width })}
          />
          <ChoiceRow label="Shade" value={border.shade} choices={SHADES} set={(shade) => set({ ...border, shade })} />
          <TextRow label="Line below" value={border.caption} set={(caption) => set({ ...border, caption })} />
        </>
      )}
    </>
  );
}
