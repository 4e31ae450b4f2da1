import { FileFormat } from '../contract';
import { sound } from '../keys';
import { julianInstant } from './header';
import { openDxf } from './read';
import { readDxf } from './reading';
import { modifyDxf } from './write';

export { STRAIGHT, type Vertex } from './area';
export { scanDxf } from './scan';
export { DxfGroups, type Entity } from './groups';
export { layoutsOf } from './layouts';
export { leaderLines, leaderParts, leaderTexts, type LeaderParts } from './leaders';
export { UNDEFINED_STYLE, styleOfText, stylesOf, type DrawingStyle } from './styles';
export { drawnText, plainMtext } from './text';
export { scaleOf, viewportOf } from './views';
export { julianInstant, openDxf };
export type { DrawingText } from './anchors';
export { PLAIN_FAMILY } from './plain-cells';
export { carriedBlock, definitionText } from './carry';
export { cellSteps } from './recell';
export { boxOf, makeSheet } from './make';
export type { MoreBlocks, Outline, SheetPlan } from './make';

/** ASCII DXF from AC1009 on. */
export const dxf: FileFormat = {
  id: 'dxf',
  endings: ['.dxf'],
  read: (bytes) => sound(readDxf(bytes)),
  peek: (bytes) => sound(readDxf(bytes, false)),
  modify: modifyDxf,
};
