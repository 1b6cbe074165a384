/** Writes a number with as many decimals as help a reader: the same rule as the service. */
export function num(v: number): string {
  const a = Math.abs(v);
  const decimals = a >= 1000 ? 0 : a >= 100 ? 1 : a >= 10 ? 2 : 3;
  const s = v.toFixed(decimals);
  const t = s.includes(".") ? s.replace(/0+$/, "").replace(/\.$/, "") : s;
  return t === "-0" ? "0" : t;
}

/** Says a band of limits as a person would: "12", "at least 0.7", "3 to 5". */
export function band(least?: number, most?: number): string {
  if (least !== undefined && most !== undefined) return least === most ? num(least) : `${num(least)} to ${num(most)}`;
  if (least !== undefined) return `at least ${num(least)}`;
  if (most !== undefined) return `at most ${num(most)}`;
  return "";
}

export function percent(part: number, whole: number): string {
  return whole === 0 ? "–" : `${((100 * part) / whole).toFixed(1)} %`;
}

const time = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", second: "2-digit" });
const day = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short" });

export const clock = (iso: string): string => time.format(new Date(iso));

/** The time, with the day in front where it is not today. */
export function when(iso: string, now = new Date()): string {
  const d = new Date(iso);
  return d.toDateString() === now.toDateString() ? time.format(d) : `${day.format(d)} ${time.format(d)}`;
}

/** Cuts a revision to what tells it from others. */
export const short = (revision: string): string => (revision.startsWith("sha256:") ? revision.slice(7, 19) : revision);

/** How long ago, in the largest unit that fits. */
export function since(iso: string, now = Date.now()): string {
  const s = Math.max(0, Math.round((now - Date.parse(iso)) / 1000));
  if (s < 60) return `${s} s`;
  if (s < 3600) return `${Math.floor(s / 60)} min`;
  if (s < 86400) return `${Math.floor(s / 3600)} h ${Math.floor((s % 3600) / 60)} min`;
  return `${Math.floor(s / 86400)} d`;
}

/** "line1" is read as "Line 1"; other ids stay as they are. */
export function lineName(line: string): string {
  const m = /^line-?(\d+)$/i.exec(line);
  return m ? `Line ${m[1]}` : line;
}

/** A text that was read, with the separators of GS1 codes made visible. */
export const readable = (s: string): string => s.replaceAll("\x1d", "␝");
