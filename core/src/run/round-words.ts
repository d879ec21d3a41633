/** So long is the text in which a round names its configurations at most, in characters. */
const longest = 300;

/**
 * How a round names the configurations of its runs: all of them, one after the other, or, where that is too long a text, how many there are with the
 * first and the last.
 */
export function roundConfiguration(configurations: readonly string[]): string {
  const all = configurations.join('; ');
  if (all.length <= longest) return all;
  const short = (text: string): string => (text.length > 120 ? `${text.slice(0, 119)}…` : text);
  return `${configurations.length} configurations, from ${short(configurations[0])} to ${short(configurations[configurations.length - 1])}`;
}

/** The first configuration that such a text names: what another round could take. */
export const firstConfiguration = (text: string): string => (/^\d+ configurations, from (.*) to /.exec(text)?.[1] ?? text).split('; ')[0];
