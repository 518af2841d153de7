// Names of classes, put together.

export const join = (...names: (string | false | undefined)[]) => names.filter(Boolean).join(' ')
