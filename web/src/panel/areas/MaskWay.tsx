import { MenuItem, Select } from "@mui/material";

import { inkOf, useMaskShown, WAYS } from "../../state/maskShown";

/** How a mask is seen while it is painted. */
export function MaskWay() {
  const { way, ink } = useMaskShown();
  return (
    <>
      {way === "wash" && (
        <input
          type="color"
          aria-label="Colour of the wash"
          value={inkOf(ink)}
          onChange={(e) => useMaskShown.setState({ ink: e.target.value })}
        />
      )}
      <Select
        size="small"
        variant="standard"
        className="in-heading"
        title="How masks are seen. Key Shift K, also during a stroke"
        value={way}
        inputProps={{ "aria-label": "How masks are seen" }}
        onChange={(e) => useMaskShown.setState({ way: e.target.value })}
      >
        {Object.entries(WAYS).map(([name, title]) => (
          <MenuItem key={name} value={name}>
            {title}
          </MenuItem>
        ))}
      </Select>
    </>
  );
}
