/** The first letters of a person's names, two at most, as they stand in a circle. */
export const initialsOf = (printedName: string): string =>
  printedName
    .split(/\s+/)
    .map((part) => part[0])
    .join('')
    .slice(0, 2)
    .toUpperCase();
