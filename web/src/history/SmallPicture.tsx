import { useScene } from "../state/scene";

/** A small picture of a state of the scene in view. */
export function SmallPicture({ revision }: { revision: number }) {
  const id = useScene((s) => s.scene?.id);
  const prepared = useScene((s) => s.scene?.prepared);
  if (!prepared) return null;
  // What it is merged from tells one from another: browsers keep what they have loaded.
  return <img src={`/api/scenes/${id}/states/${revision}/picture.jpg?side=160&of=${prepared}`} alt="" loading="lazy" />;
}
