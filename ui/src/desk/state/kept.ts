import { effectScope, ref, watch, type Ref } from "vue";

const all = new Map<string, Ref>();
const scope = effectScope(true);

/** Values that are remembered in this browser, the same wherever they are asked for. */
export function useKept<T extends object>(key: string, otherwise: T): Ref<T> {
  let kept = all.get(key) as Ref<T> | undefined;
  if (!kept) {
    kept = ref(read(key, otherwise)) as Ref<T>;
    all.set(key, kept);
    const fresh = kept;
    scope.run(() => watch(fresh, (value) => localStorage.setItem(key, JSON.stringify(value)), { deep: true }));
  }
  return kept;
}

function read<T>(key: string, otherwise: T): T {
  try {
    return { ...otherwise, ...(JSON.parse(localStorage.getItem(key) ?? "{}") as Partial<T>) };
  } catch {
    return otherwise; // what cannot be read is as if it had never been kept
  }
}
