// Writes the JSON Schemas of sheet, destination, waybill, lock, ledger, weights and deliveries into schemas/, from the schemas that check them,
// and those of what commands print.
import { mkdirSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';

const require = createRequire(import.meta.url);
const { z } = require('zod');
const { KNOWN } = require('../dist/core/known.js');
const { sheetSchemas } = require('../dist/core/sheet/index.js');
const { hostOpenApi, ledgerSchema, programAnswer, programRequest } = require('../dist/core/pipeline/deliver/index.js');
const { recordSchema } = require('../dist/core/pipeline/weigh/record-schema.js');
const { lockSchema } = require('../dist/core/project/lock/lock-schema.js');
const { waybillSchema } = require('../dist/core/waybill/index.js');

const { sheet, destination } = await sheetSchemas(KNOWN);
const folder = new URL('../schemas/', import.meta.url);
mkdirSync(folder, { recursive: true });
for (const [name, schema] of Object.entries({
  sheet,
  destination,
  waybill: await waybillSchema(KNOWN),
  lock: await lockSchema(KNOWN),
  ledger: ledgerSchema(KNOWN.ways.map((way) => way.name)),
  'delivery-request': programRequest,
  'delivery-answer': programAnswer,
  weights: recordSchema,
})) {
  const document = z.toJSONSchema(schema, { target: 'draft-2020-12', io: 'input' });
  writeFileSync(new URL(`${name}.schema.json`, folder), `${JSON.stringify(document, null, 2)}\n`);
}

const { VERSION } = require('../dist/cli/program.js');
writeFileSync(new URL('host.openapi.json', folder), `${JSON.stringify(hostOpenApi(VERSION), null, 2)}\n`);

const { OUTPUT_VERSION, outputSchemas } = require('../dist/cli/documents/index.js');
const output = new URL(`output-${OUTPUT_VERSION}/`, folder);
mkdirSync(output, { recursive: true });
for (const [name, schema] of Object.entries(await outputSchemas(KNOWN))) {
  const document = z.toJSONSchema(schema, { target: 'draft-2020-12', io: 'input' });
  const titled = { title: `Emballage: ${name} --json, version ${OUTPUT_VERSION}`, ...document };
  writeFileSync(new URL(`${name}.schema.json`, output), `${JSON.stringify(titled, null, 2)}\n`);
}
