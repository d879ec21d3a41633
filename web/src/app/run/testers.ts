import { computed } from '@angular/core';
import { useProject } from '../base';

/** Who may record in the project. */
export function useTesters() {
  const scope = useProject();
  return computed(() => (scope.project()?.members ?? []).filter((member) => member.roles.includes('tester')));
}
