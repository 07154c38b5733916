/** The protocol of hosts as an OpenAPI 3.1 document, made of the shapes that are read and written. */
import { z } from 'zod';
import {
  about,
  callText,
  callTold,
  currentText,
  functionTold,
  logTold,
  PREFIX,
  problem,
  versionText,
} from './protocol';

const SCHEMAS = {
  About: about,
  Function: functionTold,
  Version: versionText,
  Current: currentText,
  Call: callText,
  CallTold: callTold,
  Log: logTold,
  Problem: problem,
};

type Name = keyof typeof SCHEMAS;
type Responses = Readonly<Record<string, object>>;

const ref = (name: Name): object => ({ $ref: `#/components/schemas/${name}` });
const json = (description: string, name: Name): object => ({
  description,
  content: { 'application/json': { schema: ref(name) } },
});
const done = (description: string): object => ({
  description,
  content: { 'application/json': { schema: { type: 'object' } } },
});
const refused = (description: string): object => ({
  description,
  content: { 'application/problem+json': { schema: ref('Problem') } },
});
const body = (name: Name): object => ({ required: true, content: { 'application/json': { schema: ref(name) } } });
const path = (name: string, schema: object, description: string): object => ({
  name,
  in: 'path',
  required: true,
  schema,
  description,
});
const query = (name: string, schema: object, description: string): object => ({
  name,
  in: 'query',
  schema,
  description,
});
const header = (name: string, description: string): object => ({
  name,
  in: 'header',
  schema: { type: 'string' },
  description,
});

const NAME = path('name', { type: 'string', pattern: '^[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?$' }, 'The function.');
const VERSION = path('version', { type: 'string', pattern: '^[A-Za-z0-9][A-Za-z0-9.-]{0,63}$' }, 'The version.');
const DIGEST = path('sha256', { type: 'string', pattern: '^[0-9a-f]{64}$' }, 'SHA-256 in hexadecimal.');
const LOGIN: Responses = { '401': refused('A login is needed.') };
const NONE: Responses = { '404': refused('Nothing of that name stands here.') };
const REPR_DIGEST = {
  'Repr-Digest': { description: 'Digest of the content (RFC 9530).', schema: { type: 'string' } },
};

const operation = (operationId: string, summary: string, more: object, responses: Responses): object => ({
  operationId,
  summary,
  ...more,
  responses: { ...responses, ...LOGIN },
});

/** @param version of the tool */
export function hostOpenApi(version: string): object {
  return {
    openapi: '3.1.0',
    info: {
      title: 'Hosts of functions',
      version,
      summary: 'Put artifacts of functions, set what they are told, make a version current, call it, read its log.',
      license: { name: 'Apache-2.0', identifier: 'Apache-2.0' },
    },
    servers: [{ url: 'http://127.0.0.1:8440', description: 'A stand-in host on this machine.' }],
    security: [{}, { basic: [] }, { bearer: [] }],
    paths: {
      [PREFIX]: { get: operation('about', 'What speaks here', {}, { '200': json('It.', 'About') }) },
      ...contentPaths(),
      ...functionPaths(),
    },
    components: {
      schemas: Object.fromEntries(Object.entries(SCHEMAS).map(([name, schema]) => [name, plain(schema)])),
      securitySchemes: { basic: { type: 'http', scheme: 'basic' }, bearer: { type: 'http', scheme: 'bearer' } },
    },
  };
}

function contentPaths(): object {
  const parameters = [DIGEST];
  const bytes = { 'application/octet-stream': {} };
  return {
    [`${PREFIX}/content/sha256/{sha256}`]: {
      head: operation(
        'hasContent',
        'Whether content is here',
        { parameters },
        {
          '200': { description: 'It is; Content-Length says how long.', headers: REPR_DIGEST },
          '404': { description: 'It is not.' },
        },
      ),
      get: operation(
        'getContent',
        'Content by its digest',
        { parameters },
        {
          '200': { description: 'It.', headers: REPR_DIGEST, content: bytes },
          ...NONE,
        },
      ),
      put: operation(
        'putContent',
        'Put content: an artifact, a waybill, data beside',
        {
          parameters: [...parameters, header('Content-Digest', 'Digest of what is sent (RFC 9530).')],
          requestBody: { required: true, content: bytes },
        },
        {
          '201': { description: 'It is kept whole.', headers: REPR_DIGEST },
          '400': refused('What came has another digest.'),
          '413': refused('It is too large.'),
          '507': refused('No room is left.'),
        },
      ),
    },
  };
}

function functionPaths(): object {
  const one = `${PREFIX}/functions/{name}`;
  return {
    [one]: {
      get: operation(
        'standing',
        'What stands of a function',
        { parameters: [NAME] },
        {
          '200': json('It.', 'Function'),
          ...NONE,
        },
      ),
      delete: operation(
        'removeFunction',
        'Remove it with all versions',
        { parameters: [NAME] },
        { '200': done('Gone.') },
      ),
    },
    ...versionPaths(one),
    [`${one}/calls`]: {
      post: operation(
        'call',
        'Call it',
        { parameters: [NAME], requestBody: body('Call') },
        {
          '200': json('What came of it.', 'CallTold'),
          '429': refused('All instances are at work.'),
          ...NONE,
        },
      ),
    },
    [`${one}/log`]: {
      get: operation(
        'log',
        'What it wrote',
        {
          parameters: [
            NAME,
            query('since', { type: 'string', format: 'date-time' }, 'Only later lines.'),
            query('run', { type: 'string' }, 'Only of that run.'),
            query('after', { type: 'integer', minimum: 0 }, 'What the last answer said as `next`.'),
          ],
        },
        { '200': json('Lines.', 'Log'), ...NONE },
      ),
    },
  };
}

function versionPaths(one: string): object {
  const expected = [
    header('If-Match', 'The version that is current now, in quotes.'),
    header('If-None-Match', '`*` where none is current.'),
  ];
  return {
    [`${one}/versions/{version}`]: {
      put: operation(
        'putVersion',
        'Put a version: artifacts by their digests, and all that is told of them',
        { parameters: [NAME, VERSION], requestBody: body('Version') },
        {
          '200': done('The same is here already.'),
          '201': done('It is here.'),
          '409': refused('Another of that name is here.'),
          '422': refused('The destination refuses it; the detail says why.'),
        },
      ),
      delete: operation(
        'removeVersion',
        'Remove a version',
        { parameters: [NAME, VERSION] },
        {
          '200': done('Gone.'),
          '409': refused('It is the current one.'),
          ...NONE,
        },
      ),
    },
    [`${one}/current`]: {
      put: operation(
        'makeCurrent',
        'Make a version the current one',
        { parameters: [NAME, ...expected], requestBody: body('Current') },
        { '200': done('It is.'), '412': refused('Another is current than was expected.'), ...NONE },
      ),
    },
  };
}

/** Its dialect is that of OpenAPI 3.1 anyway. */
function plain(schema: z.ZodType): object {
  const { $schema: _dialect, ...rest } = z.toJSONSchema(schema, { target: 'draft-2020-12', io: 'input' });
  return rest;
}
