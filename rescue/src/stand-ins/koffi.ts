/**
 * Without the native package there are no functions of OpenSSL in reach: what would use them takes the platform's own.
 */
export default {
  load(): never {
    throw new Error("no native libraries here");
  },
};
