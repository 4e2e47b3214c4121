/** What is taken when all up to one of a row is asked for: from the one taken last to it, and what was taken before. */
export function rangeUpTo(row: number[], taken: number[], id: number): number[] {
  const [from, to] = [row.indexOf(taken[taken.length - 1]), row.indexOf(id)];
  if (from < 0 || to < 0) return [id];
  const added = row.slice(Math.min(from, to), Math.max(from, to) + 1);
  // The one asked for is the last taken: the next range starts from it.
  return [...taken.filter((v) => v !== id && !added.includes(v)), ...added.filter((v) => v !== id), id];
}
