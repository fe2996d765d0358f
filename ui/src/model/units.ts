/** Time and level as people read and type them. Positions are frames at 48 kHz, levels are dB. */
export const RATE = 48000;
export const SILENCE = -120;
export const LOUDEST = 12;
const MINUS = "−";

function pad(n: number): string {
  return String(n).padStart(2, "0");
}

/** 1:04.25, with as many decimals as asked for. */
export function timeText(frames: number, decimals = 2): string {
  const scale = 10 ** decimals;
  const units = Math.round((Math.max(0, frames) / RATE) * scale);
  const seconds = Math.floor(units / scale);
  const rest = decimals > 0 ? "." + String(units % scale).padStart(decimals, "0") : "";
  const h = Math.floor(seconds / 3600);
  const m = Math.floor((seconds % 3600) / 60);
  return (h > 0 ? `${h}:${pad(m)}` : `${m}`) + `:${pad(seconds % 60)}` + rest;
}

/** 6.00 s */
export function lengthText(frames: number): string {
  return `${(frames / RATE).toFixed(2)} s`;
}

/** Reads "1:04.25", "64.25" or "64.25 s"; undefined if it is none of these. */
export function parseTime(text: string): number | undefined {
  const match = /^\s*(?:(?:(\d+):)?(\d+):)?(\d+(?:[.,]\d*)?)\s*s?\s*$/.exec(text);
  if (!match) return undefined;
  const [h, m, s] = [Number(match[1] ?? 0), Number(match[2] ?? 0), Number(match[3]!.replace(",", "."))];
  return Math.round((h * 3600 + m * 60 + s) * RATE);
}

/** −18.0 dB, or silence. */
export function levelText(db: number, signed = false): string {
  return db <= SILENCE ? "silence" : `${figure(db, signed)} dB`;
}

/** −18.0: a level, loudness or gain without its unit. */
export function figure(value: number, signed = false): string {
  if (value <= SILENCE) return MINUS + "∞";
  const text = Math.abs(value).toFixed(1);
  if (value < 0 && text !== "0.0") return MINUS + text;
  return (signed && text !== "0.0" ? "+" : "") + text;
}

/** 12.6 % */
export function percentText(db: number): string {
  const percent = gainOf(db) * 100;
  return `${percent.toFixed(percent < 100 ? 1 : 0)} %`;
}

/** Reads "-18", "-18 dB", "12.6%" or "silence"; undefined if it is none of these. */
export function parseLevel(text: string): number | undefined {
  const clean = text.trim().replace(MINUS, "-").replace(",", ".").toLowerCase();
  if (/^(silence|silent|off|-∞|-inf)$/.test(clean)) return SILENCE;
  const match = /^([+-]?\d+(?:\.\d*)?)\s*(db|%)?$/.exec(clean);
  if (!match) return undefined;
  const value = Number(match[1]);
  if (match[2] === "%") return value <= 0 ? SILENCE : 20 * Math.log10(value / 100);
  return value;
}

/** The amplitude ratio of a level. */
export function gainOf(db: number): number {
  return db <= SILENCE ? 0 : 10 ** (db / 20);
}

/** 3 min left */
export function leftText(seconds: number): string {
  if (seconds <= 0) return "";
  return seconds < 90 ? `${Math.ceil(seconds)} s left` : `${Math.ceil(seconds / 60)} min left`;
}

/** today 14:02, yesterday, or 12 November */
export function whenText(iso: string, now = new Date()): string {
  const at = new Date(iso);
  const day = (d: Date) => new Date(d.getFullYear(), d.getMonth(), d.getDate()).getTime();
  const days = Math.round((day(now) - day(at)) / 86400000);
  const clock = `${pad(at.getHours())}:${pad(at.getMinutes())}`;
  if (days === 0) return `today ${clock}`;
  if (days === 1) return `yesterday ${clock}`;
  const month = at.toLocaleDateString("en-GB", { day: "numeric", month: "long" });
  return at.getFullYear() === now.getFullYear() ? month : `${month} ${at.getFullYear()}`;
}

export function sizeText(bytes: number): string {
  return bytes < 1e6 ? `${Math.ceil(bytes / 1e3)} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
}

/** The shapes of fades, from the one that rises first to the one that rises last, as they are called. */
export const FADE_SHAPES = [
  { key: "equal-power", name: "equal power" },
  { key: "linear", name: "straight" },
  { key: "smooth", name: "smooth" },
  { key: "exponential", name: "late and steep" },
] as const;
