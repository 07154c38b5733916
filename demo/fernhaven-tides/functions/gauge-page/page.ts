// A web page with the gauges and the predicted tide at each.
import { stations } from '@fernhaven/stations';
import { escaped, Pages } from 'harbourpage';
import { formatHeight } from 'tidelines';
import { predicted } from 'tidelines/almanac';

const MORNING = 6;

export const pages = new Pages()
  .page(/^\/$/, () => {
    const items = stations(process.env.STATION_NAMES).map(
      ({ id, name }) => `<li><a href="/gauges/${escaped(id)}">${escaped(name)}</a></li>`,
    );
    return `<h1>Fernhaven’s gauges</h1><ul>${items.join('')}</ul>\n`;
  })
  .page(/^\/gauges\/(\w+)$/, ({ match, query }) => {
    const day = Number(query.get('day') ?? 1);
    return `<h1>${escaped(match[1])}</h1><p>Day ${day}: ${formatHeight(predicted(day, MORNING) ?? 0)} at six</p>\n`;
  });
