// Something to take elsewhere.

import { Check, Copy } from 'lucide-react'
import { useState } from 'react'
import { Button } from './buttons'

/** Something to copy: a line, or a block that keeps its lines. */
export function Copyable({
  text,
  label,
  secret,
  block,
}: {
  text: string
  label: string
  secret?: boolean
  block?: boolean
}) {
  const [copied, setCopied] = useState(false)
  const [open, setOpen] = useState(!secret)
  return (
    <div className="grid gap-1">
      <span className="label">{label}</span>
      <div className="flex items-start gap-2">
        {block ? (
          <pre
            tabIndex={0}
            aria-label={label}
            className="mono max-h-72 min-w-0 flex-1 overflow-auto rounded border border-line bg-sunk px-2 py-1.5 text-[0.86rem]"
          >
            {text}
          </pre>
        ) : (
          <code className="min-w-0 flex-1 rounded border border-line bg-sunk px-2 py-1.5 break-all">
            {open ? text : '•'.repeat(16)}
          </code>
        )}
        {secret && (
          <Button look="quiet" onClick={() => setOpen(!open)}>
            {open ? 'Hide' : 'Show'}
          </Button>
        )}
        <Button
          onClick={() => {
            void navigator.clipboard?.writeText(text).then(() => setCopied(true))
          }}
          aria-label={`Copy ${label}`}
        >
          {copied ? <Check size={15} /> : <Copy size={15} />}
          {copied ? 'Copied' : 'Copy'}
        </Button>
      </div>
    </div>
  )
}
