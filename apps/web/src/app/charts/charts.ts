import { BarChart, HeatmapChart } from 'echarts/charts';
import { DataZoomComponent, GridComponent, LegendComponent, TooltipComponent, VisualMapComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { CanvasRenderer } from 'echarts/renderers';

echarts.use([BarChart, HeatmapChart, DataZoomComponent, GridComponent, LegendComponent, TooltipComponent, VisualMapComponent, CanvasRenderer]);

/** ECharts with the parts in use. */
export { echarts };

/** A colour of the current theme. */
export const themeColour = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** Escapes text for chart tooltips, which are HTML. */
export const asHtml = (text: string): string => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);

/** Common chart options. */
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
