// Calendars of freezes and holidays: each with what it closes next, the rules that go by it, and what is held into it.

import { useState } from 'react'
import { type Api, get, put, remove } from '../../api/call'
import { Button } from '../../parts/buttons'
import { useAction, useData } from '../../parts/data'
import { Input } from '../../parts/fields'
import { textOf } from '../../parts/files'
import { Instant, Reference } from '../../parts/told'
import { Named, Setting } from './Named'

type Calendar = Api['CalendarView']

/** So many entries are in sight at once. */
const SHOWN = 4

const ownZone = () => Intl.DateTimeFormat().resolvedOptions().timeZone

/** The file that takes the place of what is there: what it says is read by the service. */
function File({ onRead }: { onRead: (text: string | undefined) => void }) {
  return (
    <Input
      label="iCalendar file"
      type="file"
      accept=".ics,text/calendar"
      hint="Nothing is held during any of its entries. 256 KiB at most."
      onChange={(event) => {
        const [file] = event.target.files ?? []
        onRead(undefined)
        if (file) void textOf(file).then(onRead, () => onRead(undefined))
      }}
    />
  )
}

function Edit({ one, close }: { one?: Calendar; close: () => void }) {
  const [name, setName] = useState(one?.name ?? '')
  const [zone, setZone] = useState(one?.zone ?? ownZone())
  const [file, setFile] = useState<string>()
  const save = useAction(
    () =>
      put(
        '/api/v1/calendars/{name}',
        one?.digest ?? null,
        { zone: zone.trim(), file: file ?? '' },
        { name: name.trim() },
      ),
    close,
  )
  const end = useAction(() => remove('/api/v1/calendars/{name}', { name }), close)
  return (
    <Setting
      of={one?.name}
      anew={{ title: 'A new calendar', like: 'quay-freeze' }}
      says="Rules go by it by its name; a change of it holds at once. What is held already keeps its end."
      saves="Put this file in its place"
      may={!!zone.trim() && !!file}
      {...{ name, setName, save, end, close }}
    >
      <File onRead={setFile} />
      <Input
        label="Time zone of its days"
        placeholder="Europe/Oslo"
        value={zone}
        onChange={(event) => setZone(event.target.value)}
      />
    </Setting>
  )
}

/** What it closes, from now on. */
function Entries({ one }: { one: Calendar }) {
  const [all, setAll] = useState(false)
  const shown = all ? one.entries : one.entries.slice(0, SHOWN)
  const more = one.count - shown.length
  return (
    <ul className="text-ink-2">
      {shown.map(({ from, until, what }) => (
        <li key={`${from} ${what}`}>
          {what}, <Instant at={from} /> until <Instant at={until} />
        </li>
      ))}
      {more > 0 && (
        <li>
          {all ? (
            `${more} more`
          ) : (
            <Button look="quiet" onClick={() => setAll(true)}>
              {more} more
            </Button>
          )}
        </li>
      )}
    </ul>
  )
}

function Says({ one }: { one: Calendar }) {
  return (
    <>
      <p>
        <span className="mono font-semibold">{one.name}</span> {one.count === 0 && 'closes nothing any more'}
        {one.known_until && (
          <>
            is known until <Instant at={one.known_until} />, and closed from then on unless it is set anew
          </>
        )}
      </p>
      <Entries one={one} />
      <p className="text-ink-2">
        {one.closes.length === 0 ? 'No rule goes by it.' : `Rules that go by it: ${one.closes.join(', ')}.`}
      </p>
      {one.runs_into.length > 0 && (
        <p className="text-warm">
          Held into it, for it was opened before:{' '}
          {one.runs_into.map((id) => (
            <span key={id}>
              <Reference id={id} />{' '}
            </span>
          ))}
        </p>
      )}
    </>
  )
}

/** Every calendar that the reader sees; `may` where they may change them. */
export function Calendars({ may }: { may: boolean }) {
  const all = useData(['calendars'], ['terms', 'elevations'], () => get('/api/v1/calendars'))
  return (
    <Named
      title="Calendars"
      none="None is set: no rule keeps anything closed for a freeze or a holiday."
      {...{ all, may, Says, Edit }}
    />
  )
}
