'use strict';

const fs = require('fs');
const path = require('path');

let table;

function steps() {
  table = table || JSON.parse(fs.readFileSync(path.join(__dirname, '..', 'data', 'surges.json'), 'utf8')).steps;
  return table;
}

exports.steps = steps;

exports.lookUp = function lookUp(surgeCm) {
  return steps().reduce((found, step) => (step.fromCm <= surgeCm ? step : found));
};
