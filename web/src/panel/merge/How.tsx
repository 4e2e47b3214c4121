import { Checkbox, FormControlLabel, MenuItem, Select } from "@mui/material";

import type { Instructions } from "../../api/client";
import { instruct } from "../../state/merging";

interface ChoiceProps<K extends keyof Instructions> {
  name: K;
  title: string;
  options: [string, string][];
  instructions: Instructions;
}

function ChoiceRow<K extends keyof Instructions>({ name, title, options, instructions }: ChoiceProps<K>) {
  return (
    <label className="choice">
      <span>{title}</span>
      <Select
        size="small"
        variant="standard"
        value={instructions[name] as string}
        inputProps={{ "aria-label": title }}
        onChange={(e) => void instruct((i) => ({ ...i, [name]: e.target.value }))}
      >
        {options.map(([value, text]) => (
          <MenuItem key={value} value={value}>
            {text}
          </MenuItem>
        ))}
      </Select>
    </label>
  );
}

/** How the frames shall be merged; it holds from the next merge. */
export function How({ instructions, stack }: { instructions: Instructions; stack: boolean }) {
  const tick = (name: "align" | "deghost" | "keep_trails" | "fringes" | "detail", title: string) => (
    <FormControlLabel
      control={
        <Checkbox
          checked={!!instructions[name]}
          onChange={(e) => void instruct((i) => ({ ...i, [name]: e.target.checked }))}
        />
      }
      label={title}
    />
  );
  return (
    <>
      <div className="group">How</div>
      <ChoiceRow
        name="mode"
        title="Frames are"
        instructions={instructions}
        options={[
          ["auto", "told by themselves"],
          ["bracket", "a bracket"],
          ["stack", "a stack"],
        ]}
      />
      {(stack || instructions.mode === "stack") && (
        <>
          <ChoiceRow
            name="method"
            title="Made one by"
            instructions={instructions}
            options={[
              ["auto", "the fitting way"],
              ["mean", "mean"],
              ["clipped", "mean without outliers"],
              ["median", "median"],
              ["maximum", "maximum, for trails"],
            ]}
          />
          <ChoiceRow
            name="follow"
            title="Registered on"
            instructions={instructions}
            options={[
              ["auto", "what it shows"],
              ["stars", "stars alone"],
              ["ground", "ground alone"],
            ]}
          />
        </>
      )}
      <ChoiceRow
        name="borders"
        title="Borders"
        instructions={instructions}
        options={[
          ["filled", "as the reference frame"],
          ["common", "what all frames cover"],
        ]}
      />
      {tick("align", "Lay hand-held frames over each other")}
      {tick("detail", "Gather detail of moved frames")}
      {tick("deghost", "Take what moved from one frame")}
      {tick("keep_trails", "Keep light trails")}
      {tick("fringes", "Take the lens’s fringes")}
    </>
  );
}
