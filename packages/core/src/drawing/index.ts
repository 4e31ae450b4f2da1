export * from './matrix';
export * from './sheet-picture';
export * from './picture';
export { bentLine, circleArc, ellipseArc, splinePoints, type SplineCurve } from './curves';
export { hatchLines, MOST_HATCH_LINES, type HatchLine } from './hatch';
export { resetLine, setLine, setParagraph, type LinePlace, type ParagraphPlace, type SetLine, type TextSettings } from './texts';
export * from './cells';
