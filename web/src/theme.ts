import { createTheme } from "@mui/material";

export type Ground = "dark" | "light";

/** Colours of the two grounds; `styles.css` holds the same ones for what MUI does not draw. */
const grounds = {
  dark: { paper: "#1b1c1b", ground: "#262726", text: "#ece6d6", dim: "#a09c92", active: "#5fc4a4", line: "#3b3d3b" },
  light: { paper: "#f1f0ec", ground: "#d9d8d4", text: "#1f201e", dim: "#5c5b56", active: "#0d6b52", line: "#bdbbb5" },
};

export function themeFor(ground: Ground) {
  const c = grounds[ground];
  return createTheme({
    palette: {
      mode: ground,
      primary: { main: c.active, contrastText: ground === "dark" ? "#10211b" : "#ffffff" },
      background: { default: c.paper, paper: c.paper },
      text: { primary: c.text, secondary: c.dim },
      divider: c.line,
      error: { main: ground === "dark" ? "#e88f7a" : "#9c2f17" },
    },
    shape: { borderRadius: 0 },
    typography: { fontFamily: '"Archivo Variable", sans-serif', fontSize: 12.5, body1: { fontSize: 12.5, lineHeight: 1.4 }, button: { textTransform: "none" } },
    transitions: { create: () => "none" },
    components: {
      MuiButtonBase: { defaultProps: { disableRipple: true } },
      MuiButton: {
        defaultProps: { disableElevation: true, size: "small" },
        styleOverrides: { root: { minWidth: 0, padding: "3px 11px", lineHeight: 1.6, fontWeight: 500 } },
      },
      MuiDialog: { styleOverrides: { paper: { border: `1px solid ${c.line}`, backgroundImage: "none", boxShadow: "none" } } },
      MuiPaper: { styleOverrides: { root: { backgroundImage: "none" } } },
      MuiTooltip: { defaultProps: { enterDelay: 500 } },
    },
  });
}
