<script module lang="ts">
  import {
    BarController,
    BarElement,
    CategoryScale,
    Chart,
    Filler,
    Legend,
    LinearScale,
    LineController,
    LineElement,
    PointElement,
    Tooltip,
  } from 'chart.js';
  Chart.register(
    BarController,
    BarElement,
    CategoryScale,
    Filler,
    Legend,
    LinearScale,
    LineController,
    LineElement,
    PointElement,
    Tooltip,
  );

  // A colour of the palette, as it is now: light and dark differ.
  export const color = (name: string) =>
    getComputedStyle(document.documentElement).getPropertyValue(`--color-${name}`).trim();
</script>

<script lang="ts">
  // A chart in the look of the console. What it is made of is asked for again when its data change.
  import type { ChartConfiguration } from 'chart.js';
  let {
    label,
    make,
    height,
  }: { label: string; make: () => ChartConfiguration; height: 'h-44' | 'h-48' } = $props();
  let canvas: HTMLCanvasElement;
  $effect(() => {
    const config = make();
    const { plugins, ...options } = config.options ?? {};
    const legend = { labels: { color: color('faint'), boxWidth: 12 } };
    const chart = new Chart(canvas, {
      ...config,
      options: {
        animation: false,
        maintainAspectRatio: false,
        plugins: { legend, ...plugins },
        ...options,
      },
    });
    return () => chart.destroy();
  });
</script>

<div class={['relative min-w-0 overflow-hidden', height]}>
  <canvas bind:this={canvas} aria-label={label}></canvas>
</div>
