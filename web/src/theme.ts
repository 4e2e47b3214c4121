import { createTheme } from "@mui/material/styles";

/** The ground that the picture is judged on. */
export type Ground = "dark" | "light";

declare module "@mui/material/styles" {
  interface Palette {
    /** Behind the picture. */
    ground: string;
    /** Light itself: lamps, automatic marks, clipped light. */
    lamp: string;
    /** Bars of the histogram and of frames. */
    bar: string;
  }
  interface PaletteOptions {
    ground: string;
    lamp: string;
    bar: string;
  }
}

const FAMILY = '"Archivo Variable", sans-serif';

/**
 * The one palette, for both grounds. MUI writes it out as CSS variables (`--crenn-palette-…`), which `styles.css` and
 * the drawn parts read; nothing else names a colour.
 */
export const theme = createTheme({
  cssVariables: { cssVarPrefix: "crenn", colorSchemeSelector: "data-ground" },
  defaultColorScheme: "dark",
  colorSchemes: {
    dark: {
      palette: {
        primary: { main: "#5fc4a4", contrastText: "#10211b" },
        background: { default: "#1b1c1b", paper: "#1b1c1b" },
        text: { primary: "#ece6d6", secondary: "#a09c92" },
        divider: "#3b3d3b",
        error: { main: "#e88f7a" },
        ground: "#262726",
        lamp: "#f0be5c",
        bar: "#77787a",
      },
    },
    light: {
      palette: {
        primary: { main: "#0d6b52", contrastText: "#ffffff" },
        background: { default: "#f1f0ec", paper: "#f1f0ec" },
        text: { primary: "#1f201e", secondary: "#5c5b56" },
        divider: "#bdbbb5",
        error: { main: "#9c2f17" },
        ground: "#d9d8d4",
        lamp: "#8f5c00",
        bar: "#8b8c8d",
      },
    },
  },
  shape: { borderRadius: 0 },
  typography: {
    fontFamily: FAMILY,
    fontSize: 12.5,
    body1: { fontSize: 12.5, lineHeight: 1.4 },
    button: { textTransform: "none" },
  },
  transitions: { create: () => "none" },
  components: {
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiButton: {
      defaultProps: { disableElevation: true, size: "small", color: "inherit" },
      styleOverrides: {
        root: { minWidth: 0, padding: "3px 11px", lineHeight: 1.6, fontWeight: 500 },
        outlined: ({ theme }) => ({ borderColor: theme.vars?.palette.divider }),
      },
    },
    MuiCheckbox: { defaultProps: { size: "small" }, styleOverrides: { root: { padding: 0 } } },
    MuiDialog: {
      styleOverrides: {
        paper: ({ theme }) => ({
          border: `1px solid ${theme.vars?.palette.divider}`,
          backgroundImage: "none",
          boxShadow: "none",
        }),
      },
    },
    MuiDialogTitle: { styleOverrides: { root: { fontSize: 15, fontWeight: 650 } } },
    MuiFormControlLabel: {
      styleOverrides: { root: { margin: 0, display: "flex", gap: 6 }, label: { fontSize: 12.5 } },
    },
    MuiPaper: { styleOverrides: { root: { backgroundImage: "none" } } },
    MuiSelect: { defaultProps: { size: "small", variant: "standard" } },
    MuiTextField: { defaultProps: { size: "small" } },
    MuiTooltip: { defaultProps: { enterDelay: 500 } },
  },
});
