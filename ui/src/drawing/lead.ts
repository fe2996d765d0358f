import type { Schema } from "../api/client";
import { HOP, NOBODY } from "../model/lead";
import { size, token } from "./tokens";

/** What is to be drawn of the voice lead, in CSS pixels. */
export interface LeadPicture {
  /** LU in tenths, for each hop. */
  leads: Int16Array;
  misses: Schema["Miss"][];
  aim: number;
  /** The session frame at the left edge. */
  from: number;
  scale: number;
  width: number;
  height: number;
  measured: boolean;
}

/** The aim stands at half the height, whichever it is. */
const TOP = 16;
const BAR = 3;
const LEAST = 2;

/** Draws a bar for each step of some pixels: as high as speech leads there, red and hatched where that is too little. */
export function drawLead(canvas: HTMLCanvasElement, p: LeadPicture): void {
  size(canvas, p.width, p.height);
  const ratio = window.devicePixelRatio || 1;
  const g = canvas.getContext("2d")!;
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  g.clearRect(0, 0, p.width, p.height);
  const middle = TOP + (p.height - TOP) * 0.28;
  const perLU = (p.height - middle) / p.aim;
  const step = Math.max(BAR, HOP / p.scale);
  const gap = step > 2 * BAR ? 1 : 0.75;
  const [good, bad] = [token("voice"), token("alarm")];
  let miss = 0;
  const first = Math.floor(p.from / p.scale / step);
  for (let k = first; (k - first) * step < p.width + step; k++) {
    const [from, to] = [k * step * p.scale, (k + 1) * step * p.scale];
    const lead = meanOf(p.leads, from, to);
    if (lead === undefined) continue;
    while (miss < p.misses.length && p.misses[miss]!.to <= from) miss++;
    const m = p.misses[miss];
    const wrong = m && m.from < to && !m.excused;
    const height = Math.max(LEAST, Math.min(p.height - TOP, lead * perLU));
    g.fillStyle = wrong ? bad : good;
    g.globalAlpha = wrong ? 0.9 : 0.5;
    g.fillRect(from / p.scale - p.from / p.scale, p.height - height, step - gap, height);
  }
  g.globalAlpha = 1;
  g.strokeStyle = token("ink");
  g.setLineDash([1.5, 3]);
  g.beginPath();
  g.moveTo(0, Math.round(middle) + 0.5);
  g.lineTo(p.width, Math.round(middle) + 0.5);
  g.stroke();
  g.setLineDash([]);
}

/** The mean, in LU, between two frames, where somebody speaks. */
function meanOf(leads: Int16Array, from: number, to: number): number | undefined {
  let [sum, n] = [0, 0];
  for (let i = Math.max(0, Math.floor(from / HOP)); i * HOP < to && i < leads.length; i++) {
    if (leads[i] === NOBODY) continue;
    sum += leads[i]!;
    n++;
  }
  return n > 0 ? sum / n / 10 : undefined;
}
