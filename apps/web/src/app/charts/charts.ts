import { BarChart, HeatmapChart } from 'echarts/charts';
import { DataZoomComponent, GridComponent, LegendComponent, TooltipComponent, VisualMapComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { CanvasRenderer } from 'echarts/renderers';

echarts.use([BarChart, HeatmapChart, DataZoomComponent, GridComponent, LegendComponent, TooltipComponent, VisualMapComponent, CanvasRenderer]);

/** The charting library with the parts that Rule uses. */
export { echarts };

/** A colour of the theme in force. */
export const themeColour = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** A text as HTML: what a chart says beside the pointer is taken for HTML, and names and captions are anybody's. */
export const asHtml = (text: string): string => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);

/** What every chart of Rule has in common. */
export const chartBase = () => ({
  animationDuration: 150,
  textStyle: { fontFamily: 'Barlow', color: themeColour('--ink') },
  tooltip: {
    trigger: 'item',
    backgroundColor: themeColour('--panel'),
    borderColor: themeColour('--line'),
    textStyle: { color: themeColour('--ink') },
  },
});
