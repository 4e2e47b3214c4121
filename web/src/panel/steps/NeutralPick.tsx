import { ToolButton } from "../ToolButton";

/** Takes the white balance from a patch of the picture. */
export const NeutralPick = () => <ToolButton tool="neutral" says="Pick a neutral patch" inHand="Click a grey place in the picture" />;
