import { StepsPanel } from "./StepsPanel";

/** The Geometry station. */
export default function GeometryPanel() {
  return <StepsPanel station="geometry" title="Geometry" lead="Let horizons lie, and keep what belongs." />;
}
