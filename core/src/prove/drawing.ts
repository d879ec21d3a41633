import { knots, type Knot } from '../base';
import type { KnotState } from './knot-state';

/** One stroke or shape of a cord's drawing, in its own units; the caller gives colours by role. */
export interface Shape {
  readonly role: KnotState;
  readonly what: 'line' | 'dotted' | 'dashed' | 'hairline' | 'ring' | 'disc' | 'diamond' | 'half' | 'dot' | 'fray';
  readonly path: string;
}

export interface CordDrawing {
  readonly width: number;
  readonly height: number;
  readonly shapes: readonly Shape[];
}

/**
 * The drawing of a cord: state by shape first (DESIGN.md section 4). Sound: filled round knot on a line; waiting: ring on a
 * dotted line; broken: diamond after a parted line; suspect: half-filled knot on a dashed line; not reached: a dot on a
 * hairline; not required: a small ring on the line. `gap` is the distance between knots.
 */
export function drawCord(states: Readonly<Record<Knot, KnotState>>, gap = 70, radius = 7): CordDrawing {
  const shapes: Shape[] = [];
  const middle = radius + 3;
  const x = (i: number): number => middle + i * gap;
  knots.forEach((name, i) => {
    const state = states[name];
    if (i > 0) shapes.push(...segment(state, x(i - 1), x(i), middle, radius));
  });
  knots.forEach((name, i) => shapes.push(...knotShape(states[name], x(i), middle, radius)));
  return { width: x(knots.length - 1) + middle, height: middle * 2, shapes };
}

function segment(state: KnotState, from: number, to: number, y: number, r: number): Shape[] {
  const a = from + r + 1;
  const b = to - r - 1;
  const line = (x1: number, x2: number): string => `M${x1} ${y}H${x2}`;
  const mid = (a + b) / 2;
  switch (state) {
    case 'sound':
    case 'notRequired':
      return [{ role: 'sound', what: 'line', path: line(a, b) }];
    case 'waiting':
      return [{ role: state, what: 'dotted', path: line(a + 2, b - 2) }];
    case 'suspect':
      return [{ role: state, what: 'dashed', path: line(a, b) }];
    case 'broken': {
      // The strands spread at the two ends of the parting, which stays open; short cords have smaller ones.
      const k = Math.min(1, (b - a) / 34);
      const end = 13 * k;
      const fray = (x: number, way: number): string => [-1, 1].map((up) => `M${x} ${y}l${way * 7 * k} ${up * 5 * k}`).join('');
      return [
        { role: state, what: 'line', path: `${line(a, mid - end + 2)}${line(mid + end - 2, b)}` },
        { role: state, what: 'fray', path: fray(mid - end, 1) + fray(mid + end, -1) },
      ];
    }
    case 'notReached':
      return [{ role: state, what: 'hairline', path: line(a + 2, b - 2) }];
  }
}

/** A circle of four cubic curves: some PDF writers make corners of short arcs. 0.5523 is the usual factor for a quarter. */
function circle(x: number, y: number, r: number): string {
  const k = 0.5523 * r;
  return `M${x - r} ${y}c0 ${-k} ${r - k} ${-r} ${r} ${-r}c${k} 0 ${r} ${r - k} ${r} ${r}c0 ${k} ${k - r} ${r} ${-r} ${r}c${-k} 0 ${-r} ${k - r} ${-r} ${-r}Z`;
}

function halfCircle(x: number, y: number, r: number): string {
  const k = 0.5523 * r;
  return `M${x} ${y - r}c${-k} 0 ${-r} ${r - k} ${-r} ${r}c0 ${k} ${r - k} ${r} ${r} ${r}Z`;
}

function knotShape(state: KnotState, x: number, y: number, r: number): Shape[] {
  switch (state) {
    case 'sound':
      return [{ role: state, what: 'disc', path: circle(x, y, r) }];
    case 'waiting':
      return [{ role: state, what: 'ring', path: circle(x, y, r - 1) }];
    case 'broken':
      return [{ role: state, what: 'diamond', path: `M${x} ${y - r - 1}L${x + r + 1} ${y}L${x} ${y + r + 1}L${x - r - 1} ${y}Z` }];
    case 'suspect':
      return [
        { role: state, what: 'ring', path: circle(x, y, r - 1) },
        { role: state, what: 'half', path: halfCircle(x, y, r - 1) },
      ];
    case 'notReached':
      return [{ role: state, what: 'dot', path: circle(x, y, 2) }];
    case 'notRequired':
      return [{ role: 'sound', what: 'ring', path: circle(x, y, 4) }];
  }
}

export const stateWords: Record<KnotState, string> = {
  sound: 'sound',
  waiting: 'waiting',
  broken: 'broken',
  suspect: 'suspect',
  notReached: 'not reached',
  notRequired: 'not required',
};

export const knotWords: Record<Knot, string> = { specify: 'Specify', design: 'Design', run: 'Run', measure: 'Measure', prove: 'Prove' };

/** The cord in words, for those who do not see the drawing. */
export function cordWords(states: Readonly<Record<Knot, KnotState>>): string {
  return knots.map((name) => `${knotWords[name]} ${stateWords[states[name]]}`).join(', ');
}
