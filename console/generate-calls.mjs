// Writes src/lib/openapi.ts, calls.ts and outcomes.ts from openapi.json: the types of the API, one
// typed function for each operation, and how outcomes are shown. With --check it only says whether
// they are up to date.
import { readFileSync, writeFileSync } from 'node:fs';
import openapiTS, { astToString } from 'openapi-typescript';
import * as prettier from 'prettier';

const PREFIX = '/api/v1';
const document = JSON.parse(readFileSync('openapi.json', 'utf8'));

const camel = (name) => name.replace(/_([a-z])/g, (_, letter) => letter.toUpperCase());

const nameOf = (schema) => schema.$ref.split('/').pop();

/** The TypeScript type of a schema that the document refers to or holds. */
function typeOf(schema) {
  if (!schema) return 'void';
  if (schema.$ref) return `Schemas['${nameOf(schema)}']`;
  return 'unknown';
}

/** The type of a body: what has a default may be left out. */
function bodyType(schema) {
  const { properties = {}, required = [] } = document.components.schemas[nameOf(schema)];
  const optional = Object.keys(properties).filter((name) => !required.includes(name));
  const keys = optional.map((name) => `'${name}'`).join(' | ');
  return keys ? `Optional<${typeOf(schema)}, ${keys}>` : typeOf(schema);
}

function pathOf(path, values) {
  const filled = path
    .slice(PREFIX.length)
    .replace(/{(\w+)}/g, (_, name) => `\${part(${camel(name)})}`);
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
  const scalar = (p) => (p.schema.type === 'integer' ? 'number' : 'string');
  const args = values.map((p) => `${camel(p.name)}: ${scalar(p)}`);
  if (body) args.push(`body: ${bodyType(body)}`);
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
    // Downloads and live views are not called but linked to; bytes are not sent by the console.
    const sent = operation.requestBody?.content ?? { 'application/json': {} };
    if (!('application/json' in sent)) continue;
    if ('application/json' in media) functions.push(functionOf(path, method, operation));
  }
}

const calls = `// Generated from openapi.json by generate-calls.mjs. Do not edit.
import type { components, operations } from './openapi';
import { call, part, queryString } from './api.svelte';

type Schemas = components['schemas'];
type Query<Id extends keyof operations> = operations[Id]['parameters']['query'];
type Optional<T, K extends keyof T> = Omit<T, K> & Partial<Pick<T, K>>;

${functions.join('\n')}`;
const types = `// Generated from openapi.json by generate-calls.mjs. Do not edit.
${astToString(await openapiTS(document))}`;

const outcomes = `// Generated from openapi.json by generate-calls.mjs. Do not edit.
/** How outcomes and states are shown, the more serious ones later. */
export const OUTCOMES: Record<string, { word: string; mark: string; tone: string }> =
  ${JSON.stringify(document['x-outcomes'])};
/** The outcomes of ended runs and tasks. */
export const ENDED = Object.keys(OUTCOMES).filter((name) => !['running', 'queued'].includes(name));
`;

/** The fields of a form that have a default. */
const fieldsOf = (name) =>
  Object.fromEntries(
    Object.entries(document.components.schemas[name].properties)
      .filter(([key, field]) => 'default' in field && key !== 'secrets')
      .map(([key, field]) => [key, field.default]),
  );
const fresh = (name, more = {}) => JSON.stringify({ ...more, ...fieldsOf(name) });
const defaults = `// Generated from openapi.json by generate-calls.mjs. Do not edit.
import type { components } from './openapi';

type Fields<Name extends keyof components['schemas'], Other extends string = never> = Omit<
  Required<components['schemas'][Name]>,
  'secrets' | Other
>;

/** A new store: what a form begins with, without the settings of its kind. */
export const newStore = (): Fields<'StoreInput', 'settings' | 'name'> => (${fresh('StoreInput')});

/** A new host: this machine, nothing set. */
export const newHost = (): Fields<'HostInput'> => (${fresh('HostInput', { name: '' })});

/** The mail server before anything is set. */
export const newMailServer = (): Fields<'MailServer'> => (${fresh('MailServer')});
`;

async function put(target, text) {
  const options = await prettier.resolveConfig(target);
  const formatted = await prettier.format(text, { ...options, filepath: target });
  if (!process.argv.includes('--check')) return writeFileSync(target, formatted);
  if (readFileSync(target, 'utf8') === formatted) return;
  console.error(`${target} does not match openapi.json. Run “npm run generate”.`);
  process.exitCode = 1;
}
await put('src/lib/openapi.ts', types);
await put('src/lib/calls.ts', calls);
await put('src/lib/outcomes.ts', outcomes);
await put('src/lib/defaults.ts', defaults);
