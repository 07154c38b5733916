// Loaded before a program: folders list what is in them in the opposite order.
'use strict';
const fs = require('node:fs');

const backward = (names) => (Array.isArray(names) ? [...names].reverse() : names);

const { readdir, readdirSync } = fs;
const { readdir: promised } = fs.promises;
fs.readdirSync = (...args) => backward(readdirSync(...args));
fs.readdir = (...args) => {
  const done = args.pop();
  return readdir(...args, (error, names) => done(error, backward(names)));
};
fs.promises.readdir = async (...args) => backward(await promised(...args));
