<script lang="ts">
  // Copies and bytes by day of the coming year; a table beside has the numbers.
  import {
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
  import type { YearOfCopies } from '../lib/types';
  import { size } from '../lib/words';
  let { year }: { year: YearOfCopies } = $props();
  Chart.register(
    CategoryScale,
    Filler,
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
    const days = $state.snapshot(year.days);
    const ink = color('faint');
    const line = { pointRadius: 0, borderWidth: 2, stepped: true as const };
    const chart = new Chart(canvas, {
      type: 'line',
      data: {
        labels: days.map((day) => day.day),
        datasets: [
          {
            ...line,
            label: 'Copies',
            data: days.map((day) => day.copies),
            borderColor: color('primary-600'),
            backgroundColor: color('primary-600'),
            yAxisID: 'copies',
          },
          {
            ...line,
            label: 'All subjects take at most',
            data: days.map((day) => day.bytes_of_all),
            borderColor: color('gray-400'),
            backgroundColor: color('gray-200'),
            fill: true,
            yAxisID: 'bytes',
          },
        ],
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        interaction: { mode: 'index', intersect: false },
        plugins: {
          legend: { labels: { color: ink, boxWidth: 12 } },
          tooltip: {
            callbacks: {
              label: (row) =>
                `${row.dataset.label}: ${
                  row.datasetIndex ? size(row.parsed.y ?? 0) : (row.parsed.y ?? 0)
                }`,
            },
          },
        },
        scales: {
          x: {
            ticks: {
              color: ink,
              maxTicksLimit: 6,
              maxRotation: 0,
              callback: (_, n) => days[n]?.day.slice(0, 7),
            },
            grid: { display: false },
          },
          copies: { beginAtZero: true, ticks: { color: ink, precision: 0 } },
          bytes: {
            position: 'right',
            beginAtZero: true,
            ticks: { color: ink, maxTicksLimit: 5, callback: (value) => size(Number(value)) },
            grid: { display: false },
          },
        },
      },
    });
    return () => chart.destroy();
  });
</script>

<div class="relative h-48 min-w-0 overflow-hidden">
  <canvas
    bind:this={canvas}
    aria-label="Copies of {year.subject} on {year.store} in the coming year"
  ></canvas>
</div>
