// Names of classes, put together.

/** Class names, without those that are left out. */
export const join = (...names: (string | false | undefined)[]) => names.filter(Boolean).join(' ')
