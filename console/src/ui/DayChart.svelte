<script lang="ts">
  // Bytes by day: bars for what moved, a line for what is held; a table beside has the numbers.
  import type { ChartConfiguration } from 'chart.js';
  import type { StoreDay } from '../lib/types';
  import { size } from '../lib/words';
  import CanvasChart, { color } from './CanvasChart.svelte';
  let { days, label }: { days: StoreDay[]; label: string } = $props();

  // Powers of two, which read well in binary units.
  function ticks(values: number[]) {
    const most = Math.max(4, ...values);
    return {
      color: color('faint'),
      stepSize: 2 ** Math.ceil(Math.log2(most / 4)),
      callback: (value: number | string) => size(Number(value)),
    };
  }

  function make(): ChartConfiguration {
    const shown = $state.snapshot(days);
    const bar = { type: 'bar' as const, maxBarThickness: 24, yAxisID: 'moved' };
    const held = {
      type: 'line' as const,
      label: 'Held',
      data: shown.map((day) => day.stored ?? null),
      borderColor: color('primary-600'),
      backgroundColor: color('primary-600'),
      spanGaps: true,
      pointRadius: 2,
      yAxisID: 'held',
    };
    const sent = {
      ...bar,
      label: 'Sent',
      data: shown.map((day) => day.sent),
      backgroundColor: color('primary-300'),
    };
    const read = {
      ...bar,
      label: 'Read',
      data: shown.map((day) => day.received),
      backgroundColor: color('gray-400'),
    };
    const label = (row: { dataset: { label?: string }; parsed: { y: number | null } }) =>
      `${row.dataset.label}: ${size(row.parsed.y ?? 0)}`;
    return {
      type: 'bar',
      data: { labels: shown.map((day) => day.day.slice(5)), datasets: [held, sent, read] },
      options: {
        plugins: { tooltip: { callbacks: { label } } },
        scales: {
          x: { ticks: { color: color('faint') }, grid: { display: false } },
          held: {
            position: 'left',
            beginAtZero: true,
            ticks: ticks(shown.map((day) => day.stored ?? 0)),
          },
          moved: {
            position: 'right',
            beginAtZero: true,
            ticks: ticks(shown.flatMap((day) => [day.sent, day.received])),
            grid: { display: false },
          },
        },
      },
    };
  }
</script>

<CanvasChart {make} {label} height="h-44" />
