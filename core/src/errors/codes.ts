/**
 * The frozen list of error codes. Codes never change meaning; messages may improve.
 * The class of a code says what it means for the person: nothing touched, wrong secret, damage, or stopped half way with the data safe.
 */
export const ERROR_CLASSES = {
  usage: "usage",
  "wrong-password": "password",
  "wrong-code": "password",
  "wrong-pin": "password",
  "weak-pin": "refused",
  "too-many-tries": "refused",
  "not-set-up": "refused",
  "already-set-up": "refused",
  "weak-password": "refused",
  "hint-gives-away": "refused",
  "needs-sign-in": "refused",
  "needs-folder-password": "refused",
  "not-found": "refused",
  "not-a-folder": "refused",
  "off-limits": "refused",
  "outside-places": "refused",
  nested: "refused",
  "already-protected": "refused",
  "not-protected": "refused",
  "not-locked": "refused",
  "not-open": "refused",
  "no-permission": "refused",
  "no-space": "refused",
  "special-files": "refused",
  "mount-inside": "refused",
  "path-taken": "refused",
  "in-use": "refused",
  busy: "refused",
  unvouched: "refused",
  "unknown-version": "refused",
  unsupported: "refused",
  damaged: "damage",
  "rolled-back": "damage",
  cancelled: "failed",
  "changed-while-locking": "failed",
  interrupted: "failed",
  io: "failed",
  "port-in-use": "refused",
  "data-unwritable": "refused",
} as const;

export type ErrorCode = keyof typeof ERROR_CLASSES;
export type ErrorClass = (typeof ERROR_CLASSES)[ErrorCode];
