/** The header in which every answer says which version of Plextan it comes from. */
export const VERSION_HEADER = "x-plextan-version";
