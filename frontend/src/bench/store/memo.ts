/** A function that keeps its last answer for as long as it is asked with the same things. */
export function kept<A extends unknown[], R>(make: (...args: A) => R): (...args: A) => R {
  let last: { args: A; answer: R } | null = null;
  return (...args) => {
    if (!last || args.some((one, k) => one !== last?.args[k])) last = { args, answer: make(...args) };
    return last.answer;
  };
}
