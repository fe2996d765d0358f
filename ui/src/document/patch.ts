/**
 * JSON Patch (RFC 6902) of a document that is never changed in place: what a patch does not touch stays the very same
 * object, so that who draws it sees at once that nothing of it is new.
 */

/** An operation of a patch. */
export interface Operation {
  op: string;
  path: string;
  from?: string;
  value?: unknown;
}

type Container = Record<string, unknown> | unknown[];

/** Gives the document after a patch. Throws if an operation names what is not there; the document stays as it was. */
export function patched<T extends object>(document: T, operations: readonly Operation[]): T {
  const fresh = new Set<object>();
  /** A container that this patch may write into: a copy, unless it has been copied already. */
  function own<C extends object>(container: C): C {
    if (fresh.has(container)) return container;
    const copy = (Array.isArray(container) ? [...(container as unknown[])] : { ...container }) as C;
    fresh.add(copy);
    return copy;
  }
  const root = { document: document as unknown };
  fresh.add(root);

  /** The container of a place, which may be written into, and the key in it. */
  function placeOf(path: string): [Container, string] {
    const keys = ["document", ...pointer(path)];
    let at: Container = root;
    for (const key of keys.slice(0, -1)) {
      const inner = read(at, key, path);
      if (typeof inner !== "object" || inner === null) throw new Error(`${path} leads through no object`);
      const next = own(inner as Container);
      write(at, key, next);
      at = next;
    }
    return [at, keys[keys.length - 1]!];
  }

  function remove(path: string): unknown {
    const [at, key] = placeOf(path);
    const old = read(at, key, path);
    if (Array.isArray(at)) at.splice(Number(key), 1);
    else delete at[key];
    return old;
  }

  function add(path: string, value: unknown): void {
    const [at, key] = placeOf(path);
    if (!Array.isArray(at)) write(at, key, value);
    else at.splice(key === "-" ? at.length : index(key, at.length, path), 0, value);
  }

  for (const o of operations) {
    if (o.op === "add") add(o.path, o.value);
    else if (o.op === "remove") remove(o.path);
    else if (o.op === "move") add(o.path, remove(o.from!));
    else if (o.op === "replace") {
      const [at, key] = placeOf(o.path);
      read(at, key, o.path);
      write(at, key, o.value);
    } else throw new Error(`a patch of ours does not ${o.op}`);
  }
  return root.document as T;
}

function pointer(path: string): string[] {
  if (path === "") return [];
  if (!path.startsWith("/")) throw new Error(`${path} is no pointer`);
  return path
    .slice(1)
    .split("/")
    .map((key) => key.replaceAll("~1", "/").replaceAll("~0", "~"));
}

function index(key: string, most: number, path: string): number {
  const at = /^(0|[1-9]\d*)$/.test(key) ? Number(key) : NaN;
  if (!(at <= most)) throw new Error(`${path} is not there`);
  return at;
}

function read(at: Container, key: string, path: string): unknown {
  if (Array.isArray(at)) return at[index(key, at.length - 1, path)];
  if (!Object.hasOwn(at, key)) throw new Error(`${path} is not there`);
  return at[key];
}

function write(at: Container, key: string, value: unknown): void {
  if (Array.isArray(at)) at[Number(key)] = value;
  // A key such as __proto__ is one like any other.
  else Object.defineProperty(at, key, { value, enumerable: true, configurable: true, writable: true });
}
