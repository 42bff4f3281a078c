<script lang="ts">
  // Bytes by day: bars for what moved, a line for what is held; a table beside has the numbers.
  import {
    BarController,
    BarElement,
    CategoryScale,
    Chart,
    Legend,
    LinearScale,
    LineController,
    LineElement,
    PointElement,
    Tooltip,
  } from 'chart.js';
  import type { StoreDay } from '../lib/types';
  import { size } from '../lib/words';
  let { days, label }: { days: StoreDay[]; label: string } = $props();
  Chart.register(
    BarController,
    BarElement,
    CategoryScale,
    Legend,
    LinearScale,
    LineController,
    LineElement,
    PointElement,
    Tooltip,
  );
  let canvas: HTMLCanvasElement;
  const color = (name: string) =>
    getComputedStyle(document.documentElement).getPropertyValue(`--color-${name}`).trim();
  $effect(() => {
    const shown = $state.snapshot(days);
    const ink = color('faint');
    // Powers of two, which read well in binary units.
    const ticks = (most: number) => ({
      color: ink,
      stepSize: 2 ** Math.ceil(Math.log2(Math.max(most, 4) / 4)),
      callback: (value: number | string) => size(Number(value)),
    });
    const most = (values: number[]) => Math.max(0, ...values);
    const chart = new Chart(canvas, {
      data: {
        labels: shown.map((day) => day.day.slice(5)),
        datasets: [
          {
            type: 'line',
            label: 'Held',
            data: shown.map((day) => day.stored ?? null),
            borderColor: color('primary-600'),
            backgroundColor: color('primary-600'),
            spanGaps: true,
            pointRadius: 2,
            yAxisID: 'held',
          },
          {
            type: 'bar',
            label: 'Sent',
            data: shown.map((day) => day.sent),
            backgroundColor: color('primary-300'),
            maxBarThickness: 24,
            yAxisID: 'moved',
          },
          {
            type: 'bar',
            label: 'Read',
            data: shown.map((day) => day.received),
            backgroundColor: color('gray-400'),
            maxBarThickness: 24,
            yAxisID: 'moved',
          },
        ],
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        plugins: {
          legend: { labels: { color: ink, boxWidth: 12 } },
          tooltip: {
            callbacks: { label: (row) => `${row.dataset.label}: ${size(row.parsed.y ?? 0)}` },
          },
        },
        scales: {
          x: { ticks: { color: ink }, grid: { display: false } },
          held: {
            position: 'left',
            beginAtZero: true,
            ticks: ticks(most(shown.map((day) => day.stored ?? 0))),
          },
          moved: {
            position: 'right',
            beginAtZero: true,
            ticks: ticks(most(shown.flatMap((day) => [day.sent, day.received]))),
            grid: { display: false },
          },
        },
      },
    });
    return () => chart.destroy();
  });
</script>

<div class="relative h-44 min-w-0 overflow-hidden">
  <canvas bind:this={canvas} aria-label={label}></canvas>
</div>
