// Sentences of the service, which begin small because they go on from others there.

/** One that stands by itself. A reference stays as it is: `t522` is no `T522`. */
export const opened = (text: string) => (/^[a-z]+\d/.test(text) ? text : text.charAt(0).toUpperCase() + text.slice(1))
