/**
 * Does a problem report stand on a build? From the build that it was found in to the build that it is fixed in, by the order in which
 * the builds were named. One that was closed without a build of its fix (no fault after all) stands nowhere.
 */
export function problemStands(
  problem: { readonly open: boolean; readonly foundIn: number; readonly fixedIn: number | null },
  build: number,
): boolean {
  if (build < problem.foundIn) return false;
  if (problem.fixedIn !== null) return build < problem.fixedIn;
  return problem.open;
}
