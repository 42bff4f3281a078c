// Generated from openapi.json by generate-calls.mjs. Do not edit.
/** How outcomes and states are shown, the more serious ones later. */
export const OUTCOMES: Record<string, { word: string; mark: string; tone: string }> = {
  done: { word: 'done', mark: '●', tone: 'good' },
  warned: { word: 'done, with warnings', mark: '▲', tone: 'look' },
  skipped: { word: 'not started', mark: '▷', tone: 'look' },
  cancelled: { word: 'cancelled', mark: '◇', tone: 'plain' },
  interrupted: { word: 'interrupted', mark: '■', tone: 'broken' },
  partial: { word: 'a copy is missing', mark: '◧', tone: 'broken' },
  failed: { word: 'failed', mark: '■', tone: 'broken' },
  running: { word: 'running', mark: '○', tone: 'live' },
  queued: { word: 'queued', mark: '○', tone: 'plain' },
};
/** The outcomes of ended runs and tasks. */
export const ENDED = Object.keys(OUTCOMES).filter((name) => !['running', 'queued'].includes(name));
