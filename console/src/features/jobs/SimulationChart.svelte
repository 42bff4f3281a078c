<script lang="ts">
  // Copies and bytes by day of the coming year; a table beside has the numbers.
  import type { ChartConfiguration, TooltipItem } from 'chart.js';
  import type { JobSimulation } from '../../lib/types';
  import { size } from '../../lib/words';
  import CanvasChart, { color } from '../../ui/CanvasChart.svelte';
  let { year }: { year: JobSimulation } = $props();

  const words = (row: TooltipItem<'line'>) => {
    const value = row.parsed.y ?? 0;
    return `${row.dataset.label}: ${row.datasetIndex ? size(value) : value}`;
  };

  function make(): ChartConfiguration<'line'> {
    const days = $state.snapshot(year.days);
    const ink = color('faint');
    const line = { pointRadius: 0, borderWidth: 2, stepped: true as const };
    const copies = {
      ...line,
      label: 'Copies',
      data: days.map((day) => day.copies),
      borderColor: color('primary-600'),
      backgroundColor: color('primary-600'),
      yAxisID: 'copies',
    };
    const bytes = {
      ...line,
      label: 'All subjects take at most',
      data: days.map((day) => day.bytes_of_all),
      borderColor: color('gray-400'),
      backgroundColor: color('gray-200'),
      fill: true,
      yAxisID: 'bytes',
    };
    const month = (_: unknown, number: number) => days[number]?.day.slice(0, 7);
    return {
      type: 'line',
      data: { labels: days.map((day) => day.day), datasets: [copies, bytes] },
      options: {
        interaction: { mode: 'index', intersect: false },
        plugins: { tooltip: { callbacks: { label: words } } },
        scales: {
          x: {
            ticks: { color: ink, maxTicksLimit: 6, maxRotation: 0, callback: month },
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
    };
  }
</script>

<CanvasChart
  {make}
  height="h-48"
  label="Copies of {year.subject} on {year.store} in the coming year"
/>
