import type { Ref } from "vue";

/** Two fingers that move apart or together zoom at the place between them. (A pinch on a touchpad comes as a wheel.) */
export function usePinch(zoom: (factor: number, x: number) => void, over: Ref<HTMLElement | null>) {
  let apart = 0;
  const distance = (t: TouchList) => Math.hypot(t[0]!.clientX - t[1]!.clientX, t[0]!.clientY - t[1]!.clientY);
  return {
    begin: (event: TouchEvent) => {
      apart = event.touches.length === 2 ? distance(event.touches) : 0;
    },
    go: (event: TouchEvent) => {
      if (event.touches.length !== 2 || apart === 0) return;
      event.preventDefault();
      const now = Math.max(1, distance(event.touches));
      const middle = (event.touches[0]!.clientX + event.touches[1]!.clientX) / 2;
      zoom(apart / now, middle - over.value!.getBoundingClientRect().left);
      apart = now;
    },
    end: () => {
      apart = 0;
    },
  };
}
