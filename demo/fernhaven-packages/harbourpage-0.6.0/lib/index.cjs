'use strict';

const { createServer } = require('node:http');

class Pages {
  constructor() {
    this.routes = [];
  }

  page(pattern, answer) {
    this.routes.push({ pattern, answer });
    return this;
  }

  handle(request, response) {
    const { pathname, searchParams } = new URL(request.url, 'http://harbour');
    for (const { pattern, answer } of this.routes) {
      const match = pattern.exec(pathname);
      if (match === null) continue;
      response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' });
      response.end(answer({ match, query: searchParams }));
      return;
    }
    response.writeHead(404, { 'content-type': 'text/plain' }).end('no such page\n');
  }

  listen(...args) {
    return createServer((request, response) => this.handle(request, response)).listen(...args);
  }
}

exports.Pages = Pages;
