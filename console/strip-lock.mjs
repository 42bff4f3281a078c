// Takes the download addresses out of package-lock.json: npm finds the packages by name, and their
// integrity stays checked. Run after every change of the dependencies (npm run lock).
import { readFileSync, writeFileSync } from 'node:fs';

const lock = JSON.parse(readFileSync('package-lock.json', 'utf8'));
for (const entry of Object.values(lock.packages)) delete entry.resolved;
writeFileSync('package-lock.json', JSON.stringify(lock, null, 2) + '\n');
