'use strict';

const { lookUp } = require('./lib/look-up');
const { formatHeight } = require('tidelines');

exports.classify = function classify(surgeCm) {
  const { word, advice } = lookUp(surgeCm);
  return { word, advice, height: formatHeight(surgeCm) };
};

exports.table = () => require('./lib/look-up').steps();
