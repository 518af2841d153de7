// Files that the reader chooses, and is given.

/** What stands in a file. */
export function textOf(file: File): Promise<string> {
  return new Promise((resolve, reject) => {
    const reader = new FileReader()
    reader.onload = () => resolve(reader.result as string)
    reader.onerror = () => reject(new Error(`${file.name} can’t be read`))
    reader.readAsText(file)
  })
}

/** Hands a text over as a file. */
export function download(name: string, kind: string, text: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([text], { type: kind }))
  link.download = name
  link.click()
  URL.revokeObjectURL(link.href)
}
