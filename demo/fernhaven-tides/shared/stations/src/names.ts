export interface Station {
  readonly id: string;
  readonly name: string;
}

/** `pier=Old Pier,lock=River Lock`, as the setting has it. */
export function stations(setting: string | undefined): Station[] {
  return (setting ?? '').split(',').flatMap((pair) => {
    const [id, name] = pair.split('=');
    return id === undefined || name === undefined ? [] : [{ id, name }];
  });
}

const known = stations(process.env.STATION_NAMES);

/** The name that people in Fernhaven know a gauge by. */
export function stationName(id: string): string {
  return known.find((station) => station.id === id)?.name ?? id;
}
