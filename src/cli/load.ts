export async function loadFiles(_feed: string, _files: readonly string[], _options: { again?: boolean; sender?: string }): Promise<number> {
  throw new Error("not yet");
}
