import type { Ref } from "vue";
import type { DeskContext } from "../state/context";
import { usePinch } from "../widgets/pinch";

/** Scrolling and zooming by wheel and by fingers, at the place that is pointed at. */
export function useZooming(desk: DeskContext, lanes: Ref<HTMLElement | null>, cardWidth: () => number) {
  const pinch = usePinch(
    (factor, x) => desk.time.zoom(factor, Math.max(0, x - cardWidth())),
    (dx, dy) => {
      desk.time.show(desk.time.start + dx * desk.time.scale);
      lanes.value?.scrollBy(0, dy);
    },
    lanes,
  );

  function wheel(event: WheelEvent): void {
    const box = lanes.value!.getBoundingClientRect();
    const x = event.clientX - box.left - cardWidth();
    if (event.ctrlKey || event.metaKey) {
      event.preventDefault();
      desk.time.zoom(Math.exp(event.deltaY * 0.002), Math.max(0, x));
    } else if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
      event.preventDefault();
      desk.time.show(desk.time.start + (event.deltaX || event.deltaY) * desk.time.scale);
    }
  }

  return { wheel, pinch };
}
