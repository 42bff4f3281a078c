// Writes src/lib/calls.ts out of openapi.json: one typed function for each operation of the API.
import { readFileSync, writeFileSync } from 'node:fs';

const PREFIX = '/api/v1';
const TARGET = 'src/lib/calls.ts';
const document = JSON.parse(readFileSync('openapi.json', 'utf8'));

const camel = (name) => name.replace(/_([a-z])/g, (_, letter) => letter.toUpperCase());

/** The TypeScript type of a schema that the document refers to or holds. */
function typeOf(schema) {
  if (!schema) return 'void';
  if (schema.$ref) return `Schemas['${schema.$ref.split('/').pop()}']`;
  return 'unknown';
}

function pathOf(path, values) {
  const filled = path.slice(PREFIX.length).replace(/{(\w+)}/g, (_, name) => `\${part(${camel(name)})}`);
  return values.length ? `\`${filled}\`` : `'${filled}'`;
}

function functionOf(path, method, operation) {
  const id = operation.operationId;
  const values = operation.parameters.filter((p) => p.in === 'path');
  const hasQuery = operation.parameters.some((p) => p.in === 'query');
  const needsQuery = operation.parameters.some((p) => p.in === 'query' && p.required);
  const body = operation.requestBody?.content['application/json'].schema;
  const answers = Object.entries(operation.responses).filter(([status]) => status !== 'default');
  const answer = answers[0][1].content?.['application/json']?.schema;
  const args = values.map((p) => `${camel(p.name)}: ${p.schema.type === 'integer' ? 'number' : 'string'}`);
  if (body) args.push(`body: ${typeOf(body)}`);
  if (hasQuery) args.push(`query${needsQuery ? '' : '?'}: Query<'${id}'>`);
  const url = pathOf(path, values) + (hasQuery ? ' + queryString(query)' : '');
  const passed = [`'${method.toUpperCase()}'`, url, ...(body ? ['body'] : [])];
  return `/** ${operation.summary}. */
export const ${camel(id)} = (${args.join(', ')}) =>
  call<${typeOf(answer)}>(${passed.join(', ')});
`;
}

const functions = [];
for (const [path, methods] of Object.entries(document.paths)) {
  if (!path.startsWith(PREFIX)) continue;
  for (const [method, operation] of Object.entries(methods)) {
    const media = Object.values(operation.responses)[0].content ?? { 'application/json': {} };
    // Downloads and live views are not called but linked to.
    if ('application/json' in media) functions.push(functionOf(path, method, operation));
  }
}

const text = `// Generated from openapi.json by generate-calls.mjs. Do not edit.
import type { components, operations } from './openapi';
import { call, part, queryString } from './api.svelte';

type Schemas = components['schemas'];
type Query<Id extends keyof operations> = operations[Id]['parameters']['query'];

${functions.join('\n')}`;

if (process.argv.includes('--check')) {
  if (readFileSync(TARGET, 'utf8') !== text) {
    console.error(`${TARGET} is not what openapi.json says. Run “npm run generate”.`);
    process.exit(1);
  }
} else writeFileSync(TARGET, text);
