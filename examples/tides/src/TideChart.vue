<script setup lang="ts">
import { useRuntime } from 'floe/vue';
import uPlot from 'uplot';
import 'uplot/dist/uPlot.min.css';
import { onMounted, onUnmounted, ref } from 'vue';
import { curve, hourText, metres, need, TIMES } from './model';

const place = ref<HTMLElement>();
const runtime = useRuntime();
let end = () => {};

/** Draws what the picked visit needs: its stay, and the height that the tide must have meanwhile. */
function drawNeed({ ctx, valToPos }: uPlot, colour: (name: string) => string) {
  const { visit, height } = runtime.read(need);
  const [left, right] = [visit.from, visit.from + visit.hours].map((hour) => valToPos(hour, 'x', true));
  const [top, wanted, bottom] = [6, height, 0].map((value) => valToPos(value, 'y', true));
  ctx.save();
  ctx.fillStyle = colour('--stay');
  ctx.fillRect(left, top, right - left, bottom - top);
  ctx.strokeStyle = ctx.fillStyle = colour('--needed');
  ctx.lineWidth = 2 * devicePixelRatio;
  ctx.beginPath();
  ctx.moveTo(left, wanted);
  ctx.lineTo(right, wanted);
  ctx.stroke();
  ctx.textAlign = 'left';
  ctx.font = `${13 * devicePixelRatio}px ${getComputedStyle(document.body).fontFamily}`;
  ctx.fillText(`${visit.vessel} needs ${metres(height)}`, left + 8, top + 20 * devicePixelRatio);
  ctx.restore();
}

onMounted(() => {
  const element = place.value!;
  // A canvas takes no custom property.
  const colour = (name: string) => {
    element.style.color = `var(${name})`;
    return getComputedStyle(element).color;
  };
  const axis = {
    stroke: () => colour('--text'),
    grid: { stroke: () => colour('--grid'), width: 1 },
    ticks: { show: false },
  };
  const plot = new uPlot(
    {
      ...{
        width: element.clientWidth,
        height: 320,
        padding: [8, 24, 0, 0],
        legend: { show: false },
        cursor: { drag: { setScale: false } },
      },
      scales: { x: { time: false, range: [0, 24] }, y: { range: [0, 6] } },
      axes: [
        { ...axis, splits: () => [0, 3, 6, 9, 12, 15, 18, 21, 24], values: (_, hours) => hours.map(hourText) },
        { ...axis, size: 44, values: (_, metres) => metres.map((one) => `${one} m`) },
      ],
      series: [{}, { stroke: () => colour('--tide'), fill: () => colour('--sea'), width: 3, points: { show: false } }],
      hooks: { drawAxes: [(own) => drawNeed(own, colour)] },
    },
    [TIMES, runtime.read(curve)],
    element,
  );
  // Each runs again when something that it reads changes.
  const unfollow = runtime.follow((read) => {
    read(need);
    plot.setData([TIMES, read(curve)]);
  });
  const dark = matchMedia('(prefers-color-scheme: dark)');
  const redraw = () => plot.redraw(false);
  dark.addEventListener('change', redraw);
  const sized = new ResizeObserver(() => plot.setSize({ width: element.clientWidth, height: 320 }));
  sized.observe(element);
  end = () => {
    unfollow();
    dark.removeEventListener('change', redraw);
    sized.disconnect();
    plot.destroy();
  };
});
onUnmounted(() => end());
</script>

<template>
  <figure ref="place" role="img" aria-label="The tide of the day, and what the picked visit needs"></figure>
</template>
