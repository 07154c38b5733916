/** How much of each limit an artifact uses. */
import { lowestLimit } from '../../findings/amounts';
import type { Destination, FormFacts, FunctionSpec, Limits } from '../../sheet';
import type { NamedGauge, Weighed, Weight } from './model';

export interface LimitFacts {
  readonly destination: Destination;
  readonly form: FormFacts;
  readonly total: Weight;
  readonly files: number;
  readonly spec: FunctionSpec | undefined;
}

/** What is sent: of an image its layers. */
export function packedOf({ layers, total }: Pick<Weighed, 'layers' | 'total'>): number {
  return layers?.reduce((sum, { packed }) => sum + packed, 0) ?? total.packed;
}

/** How much of each limit is used, of those that are stated. */
export function limitGauges({ destination, form, total, files, spec }: LimitFacts): NamedGauge[] {
  const used: readonly (readonly [keyof Limits, number, NamedGauge['unit']])[] = [
    ['packed', total.packed, 'bytes'],
    ['unpacked', total.unpacked, 'bytes'],
    ['files', files, 'count'],
  ];
  return used.flatMap(([name, amount, unit]) => {
    const limit = lowestLimit(destination.accepts[form.id], spec?.limits, name);
    return limit === undefined
      ? []
      : [{ name, used: amount, unit, allowed: limit.allowed, by: limit.isOwn ? 'packing sheet' : destination.name }];
  });
}
