// Timetables and keep rules: what the forms make of a text, and the text that they write. Python
// reads the same cases, and finds that both texts mean the same.
import { describe, expect, it } from 'vitest';
import cases from '../../../../../tests/core/parser_cases.json';
import { parts, ruleText } from './keep';
import { choices, written } from './timetable';

describe('a timetable', () => {
  it.each(cases.timetables)('“$text”', ({ text, rhythm, written: again }) => {
    const found = choices(text);
    expect(found.rhythm).toBe(rhythm);
    if (rhythm) expect(written(found)).toBe(again);
  });
});

describe('a keep rule', () => {
  it.each(cases.keep_rules)('“$text”', ({ text, numbers, written: again }) => {
    const found = parts(text);
    if (numbers === null) {
      expect(found).toBeNull();
      return;
    }
    const given = Object.entries(found ?? {}).filter(([, value]) => value);
    expect(Object.fromEntries(given)).toEqual(numbers);
    expect(ruleText(found!)).toBe(again);
  });
});
