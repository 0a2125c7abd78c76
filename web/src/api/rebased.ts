/** Whether something is an object of named parts, which can be changed one by one. */
function hasParts(v: unknown): v is Record<string, unknown> {
  return typeof v === "object" && v !== null && !Array.isArray(v);
}

/** Whether two values, made of what JSON knows, are the same. */
export function same(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((v, i) => same(v, b[i]));
  if (!hasParts(a) || !hasParts(b)) return false;
  const names = new Set([...Object.keys(a), ...Object.keys(b)]);
  return [...names].every((name) => same(a[name], b[name]));
}

/**
 * A change that was made on something as it was seen, made on it as it is now: what was not touched stays as it is now. Lists are
 * changed as a whole.
 */
export function rebased<T>(seen: T, changed: T, now: T): T {
  if (same(seen, changed)) return now;
  if (!hasParts(seen) || !hasParts(changed) || !hasParts(now)) return changed;
  const made: Record<string, unknown> = { ...now };
  for (const name of new Set([...Object.keys(seen), ...Object.keys(changed)])) {
    if (same(seen[name], changed[name])) continue;
    if (name in changed) made[name] = rebased(seen[name], changed[name], now[name]);
    else delete made[name];
  }
  return made as T;
}
