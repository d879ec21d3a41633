/** What a knot of a cord is; what each means is in DESIGN.md, section 3. */
export type KnotState = 'sound' | 'waiting' | 'broken' | 'suspect' | 'notReached' | 'notRequired';
