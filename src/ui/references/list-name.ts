/** The name of a list by its title: lower-case letters, digits and underscores; empty where nothing is left. */
export function listName(title: string): string {
  return title
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^[^a-z]+|_+$/g, "")
    .slice(0, 63);
}
