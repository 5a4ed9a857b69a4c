/** A file's size as it is said: "412 kB", "3.4 MB". */
export const sizeText = (bytes: number): string =>
  bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1000))} kB` : `${(bytes / 1e6).toFixed(bytes < 1e8 ? 1 : 0)} MB`;
