export const passwordLeast = 12;
export const passwordMost = 200;

const folded = (text: string): string => text.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '');

/** What is wrong with a password, for the person who types it; undefined where nothing is. */
export function passwordFault(
  password: string,
  person: { readonly login: string; readonly printedName: string },
  isCommon: (word: string) => boolean = () => false,
): string | undefined {
  if ([...password].length < passwordLeast) return `At least ${passwordLeast} characters.`;
  if (password.length > passwordMost) return `At most ${passwordMost} characters.`;
  const plain = folded(password);
  if (new Set(plain).size < 5) return 'Too few different characters.';
  if (isCommon(password.toLowerCase()) || isCommon(plain)) return 'This is one of the commonest passwords.';
  const own = [person.login, person.printedName, ...person.printedName.split(/\s+/)].map(folded).filter((name) => name.length >= 4);
  if (own.some((name) => plain.replace(/\d+/g, '') === name || plain === name)) return 'Not your own name.';
  return undefined;
}

/** How hard a password is to guess, 0 to 4: by its length and the kinds of its characters. For a bar beside the field, not a rule. */
export function passwordStrength(password: string): 0 | 1 | 2 | 3 | 4 {
  const kinds = [/[a-z]/, /[A-Z]/, /\d/, /[^A-Za-z\d]/].filter((kind) => kind.test(password)).length;
  const bits = [...new Set(password)].length * Math.log2(8 + 18 * kinds);
  return bits < 30 ? 0 : bits < 50 ? 1 : bits < 70 ? 2 : bits < 95 ? 3 : 4;
}
