import type UPlot from "uplot";
import type { Schema } from "../api/client";
import { RATE } from "../model/units";
import { token } from "./tokens";

/** LUFS at the lower and at the upper end of the picture. */
export const [LOWEST, HIGHEST] = [-50, 0];
/** Seconds of a figure. */
export const HOP = 0.1;

/** The band of the target, the range, phrases and peaks over the ceiling. */
export function drawUnder(u: UPlot, along: Schema["Along"], truePeak: Float64Array): void {
  const { ctx, bbox } = u;
  const y = (v: number) => u.valToPos(v, "y", true);
  const x = (s: number) => u.valToPos(s, "x", true);
  ctx.save();
  ctx.beginPath();
  ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height);
  ctx.clip();
  const { integrated, tolerance, truePeak: ceiling } = along.target;
  ctx.fillStyle = token("voice-tint");
  ctx.fillRect(bbox.left, y(integrated + tolerance), bbox.width, y(integrated - tolerance) - y(integrated + tolerance));
  ctx.strokeStyle = token("rule-strong");
  ctx.fillStyle = token("ink-soft");
  ctx.font = `${12 * devicePixelRatio}px sans-serif`;
  for (let level = LOWEST + 10; level < HIGHEST; level += 10) {
    ctx.globalAlpha = 0.5;
    ctx.fillRect(bbox.left, Math.round(y(level)), bbox.width, 1);
    ctx.globalAlpha = 1;
  }
  ctx.fillStyle = token("voice");
  const bottom = bbox.top + bbox.height;
  for (const s of along.spoken) {
    const left = x(s.from / RATE);
    if (left > bbox.left + bbox.width || x(s.to / RATE) < bbox.left) continue;
    ctx.fillRect(left, bottom - 4 * devicePixelRatio, Math.max(1, x(s.to / RATE) - left), 3 * devicePixelRatio);
  }
  ctx.fillStyle = token("alarm");
  truePeak.forEach((v, i) => {
    if (v <= ceiling) return;
    const left = x(i * HOP);
    if (left >= bbox.left) ctx.fillRect(left, bbox.top, Math.max(2, x((i + 1) * HOP) - left), 7 * devicePixelRatio);
  });
  ctx.setLineDash([3 * devicePixelRatio, 3 * devicePixelRatio]);
  ctx.strokeStyle = token("ink-soft");
  for (const level of [along.low, along.high]) {
    ctx.beginPath();
    ctx.moveTo(bbox.left, y(level));
    ctx.lineTo(bbox.left + bbox.width, y(level));
    ctx.stroke();
  }
  ctx.restore();
}
