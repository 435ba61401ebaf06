/** What names of files are made of. */
export interface Told {
  programme: string;
  source: string;
  shot?: string;
  version: number;
  date: Date;
  timecode: string;
}

/**
 * A file's name by a pattern, in which {programme}, {source}, {shot}, {version}, {date} and {timecode} stand for what
 * they say; what no file system takes becomes a dash.
 */
export function named(pattern: string, told: Told): string {
  const pad = (n: number) => String(n).padStart(2, '0');
  const d = told.date;
  const values: Record<string, string> = {
    programme: told.programme,
    source: told.source,
    shot: told.shot ?? '',
    version: String(told.version),
    date: `${d.getFullYear()}-${pad(d.getMonth() + 1)}-${pad(d.getDate())}`,
    timecode: told.timecode.replace(/[:;.,]/g, ''),
  };
  return pattern
    .replace(/\{(\w+)\}/g, (whole, key: string) => values[key] ?? whole)
    .replace(/[^\p{L}\p{N} \-_.()]/gu, '-')
    .replace(/^[ .-]+|[ .-]+$/g, '');
}
