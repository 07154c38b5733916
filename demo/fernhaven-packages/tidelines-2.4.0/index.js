'use strict';

/** 447 gives `4.47 m`. */
exports.formatHeight = (centimetres) => `${(centimetres / 100).toFixed(2)} m`;
