import { StepsPanel } from "./StepsPanel";

/** The Colour station. */
export default function ColourPanel() {
  return <StepsPanel station="colour" title="Colour" lead="Move single hues, and tint tones." />;
}
