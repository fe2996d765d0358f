import type { Ref } from "vue";

/** Two fingers that move apart or together zoom at the place between them, and scroll as they go along. (A pinch on a touchpad comes as a wheel.) */
export function usePinch(
  zoom: (factor: number, x: number) => void,
  scroll: (dx: number, dy: number) => void,
  over: Ref<HTMLElement | null>,
) {
  let apart = 0;
  let last = { x: 0, y: 0 };
  const between = (t: TouchList) => ({
    x: (t[0]!.clientX + t[1]!.clientX) / 2,
    y: (t[0]!.clientY + t[1]!.clientY) / 2,
  });
  const distance = (t: TouchList) => Math.hypot(t[0]!.clientX - t[1]!.clientX, t[0]!.clientY - t[1]!.clientY);
  return {
    begin: (event: TouchEvent) => {
      apart = event.touches.length === 2 ? distance(event.touches) : 0;
      if (apart) last = between(event.touches);
    },
    go: (event: TouchEvent) => {
      if (event.touches.length !== 2 || apart === 0) return;
      event.preventDefault();
      const now = Math.max(1, distance(event.touches));
      const middle = between(event.touches);
      scroll(last.x - middle.x, last.y - middle.y);
      zoom(apart / now, middle.x - over.value!.getBoundingClientRect().left);
      [apart, last] = [now, middle];
    },
    end: () => {
      apart = 0;
    },
  };
}
