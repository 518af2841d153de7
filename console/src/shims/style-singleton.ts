// Does what react-style-singleton does (the scroll lock of dialogs), through adopted style sheets: the content
// security policy lets no <style> element in.

import { useEffect } from 'react'

function adopt(css: string): () => void {
  const sheet = new CSSStyleSheet()
  sheet.replaceSync(css)
  document.adoptedStyleSheets = [...document.adoptedStyleSheets, sheet]
  return () => {
    document.adoptedStyleSheets = document.adoptedStyleSheets.filter((known) => known !== sheet)
  }
}

export function stylesheetSingleton() {
  let count = 0
  let drop = () => {}
  return {
    add(css: string) {
      if (count === 0) drop = adopt(css)
      count += 1
    },
    remove() {
      count -= 1
      if (count === 0) drop()
    },
  }
}

export function styleHookSingleton() {
  const sheet = stylesheetSingleton()
  return (styles: string, isDynamic?: boolean) => {
    useEffect(() => {
      sheet.add(styles)
      return () => sheet.remove()
    }, [styles, isDynamic])
  }
}

export function styleSingleton() {
  const useStyle = styleHookSingleton()
  return function Sheet({ styles, dynamic }: { styles: string; dynamic?: boolean }) {
    useStyle(styles, dynamic)
    return null
  }
}
