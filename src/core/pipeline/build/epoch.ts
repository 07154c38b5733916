/** The floor of the zip format in seconds since 1970: what compilers are told where nobody says a time. */
export const EPOCH_FLOOR_SECONDS = 315_532_800;
