// Calendars of freezes and holidays: each with what it closes next, the rules that go by it, and what is held into it.

import { useState } from 'react'
import { type Api, get, put, remove } from '../../api/call'
import { Button } from '../../parts/buttons'
import { useAction, useData } from '../../parts/data'
import { Input } from '../../parts/fields'
import { Dialog } from '../../parts/overlay'
import { Section } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Instant, Reference } from '../../parts/told'

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
      hint="Nothing is held during any of its entries. 64 KiB at most."
      onChange={(event) => {
        const [file] = event.target.files ?? []
        onRead(undefined)
        const reader = new FileReader()
        reader.onload = () => onRead(reader.result as string)
        if (file) reader.readAsText(file)
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
    <Dialog
      open
      onClose={close}
      title={one ? `Change ${one.name}` : 'A new calendar'}
      says="Rules go by it by its name; a change of it holds at once. What is held already keeps its end."
    >
      <div className="grid gap-3">
        {!one && (
          <Input
            label="Name"
            placeholder="quay-freeze"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        )}
        <File onRead={setFile} />
        <Input
          label="Time zone of its days"
          placeholder="Europe/Oslo"
          value={zone}
          onChange={(event) => setZone(event.target.value)}
        />
        <Wrong error={save.error ?? end.error} />
        <div className="flex flex-wrap gap-2">
          <Button
            look="main"
            busy={save.isPending}
            disabled={!name.trim() || !zone.trim() || !file}
            onClick={() => save.mutate()}
          >
            {one ? 'Put this file in its place' : 'Set it'}
          </Button>
          {one && (
            <Button look="alarm" busy={end.isPending} onClick={() => end.mutate()}>
              End it
            </Button>
          )}
        </div>
      </div>
    </Dialog>
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

function One({ one, onEdit }: { one: Calendar; onEdit?: () => void }) {
  return (
    <li className="flex items-start justify-between gap-3 border-b border-line px-3.5 py-2 last:border-0">
      <div className="min-w-0">
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
      </div>
      {onEdit && (
        <Button look="quiet" onClick={onEdit}>
          Change
        </Button>
      )}
    </li>
  )
}

/** Every calendar that the reader sees; `may` where they may change them. */
export function Calendars({ may }: { may: boolean }) {
  const all = useData(['calendars'], ['terms', 'elevations'], () => get('/api/v1/calendars'))
  const [edit, setEdit] = useState<{ one?: Calendar }>()
  return (
    <Section
      title="Calendars"
      aside={
        may && (
          <Button look="quiet" onClick={() => setEdit({})}>
            Add one
          </Button>
        )
      }
    >
      <Shown of="calendars" query={all} lines={2}>
        {(all) =>
          all.length === 0 ? (
            <Empty>None is set: rules may close nothing for a freeze or a holiday.</Empty>
          ) : (
            <ul>
              {all.map((one) => (
                <One key={one.name} one={one} onEdit={may ? () => setEdit({ one }) : undefined} />
              ))}
            </ul>
          )
        }
      </Shown>
      {edit && <Edit {...edit} close={() => setEdit(undefined)} />}
    </Section>
  )
}
