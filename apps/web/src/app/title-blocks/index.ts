export { TitleBlocksStation } from './title-blocks';
