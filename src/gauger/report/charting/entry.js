// The parts of the charting library that a report's explorer uses; `make charting` bundles them into charting.js.
import { ScatterChart } from "echarts/charts";
import { BrushComponent, GridComponent, TooltipComponent } from "echarts/components";
import { init, use } from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";

use([ScatterChart, BrushComponent, GridComponent, TooltipComponent, CanvasRenderer]);
export { init };
