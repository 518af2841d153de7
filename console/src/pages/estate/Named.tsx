// What is set for the whole house under a name, and what rules go by: the list of them, and the dialog that sets one.

import { type ComponentType, type ReactNode, useState } from 'react'
import { Button } from '../../parts/buttons'
import { useAction, type useData } from '../../parts/data'
import { Input } from '../../parts/fields'
import { Dialog } from '../../parts/overlay'
import { Section } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'

interface SettingProps {
  /** What it is called; none where it is a new one, which is to be named. */
  of?: string
  /** The title of a new one, and a name like others. */
  anew: { title: string; like: string }
  says: string
  name: string
  setName: (name: string) => void
  /** What saves it, and whether it could; what ends it. */
  save: ReturnType<typeof useAction<unknown>>
  may: boolean
  saves: string
  end: ReturnType<typeof useAction<unknown>>
  close: () => void
  children: ReactNode
}

/** Sets one, or ends it. */
export function Setting({ of, anew, says, name, setName, save, may, saves, end, close, children }: SettingProps) {
  return (
    <Dialog open onClose={close} title={of ? `Change ${of}` : anew.title} says={says}>
      <div className="grid gap-3">
        {!of && (
          <Input label="Name" placeholder={anew.like} value={name} onChange={(event) => setName(event.target.value)} />
        )}
        {children}
        <Wrong error={save.error ?? end.error} />
        <div className="flex flex-wrap gap-2">
          <Button look="main" busy={save.isPending} disabled={!name.trim() || !may} onClick={() => save.mutate()}>
            {of ? saves : 'Set it'}
          </Button>
          {of && (
            <Button look="alarm" busy={end.isPending} onClick={() => end.mutate()}>
              End it
            </Button>
          )}
        </div>
      </div>
    </Dialog>
  )
}

interface WouldBreakProps<B, R> {
  body: B
  may: boolean
  look: (body: B) => Promise<R>
  /** Each thing that would break it. */
  each: (found: R) => ReactNode[]
}

/** What would break it, were it set as it is typed. */
export function WouldBreak<B, R>({ body, may, look, each }: WouldBreakProps<B, R>) {
  const [of, setOf] = useState<B>()
  const action = useAction(
    () => look(body),
    () => setOf(body),
  )
  const found = of === body && action.data ? each(action.data) : undefined
  return (
    <div className="grid gap-1">
      <Button
        look="quiet"
        className="justify-self-start"
        busy={action.isPending}
        disabled={!may}
        onClick={() => action.mutate()}
      >
        See what would break it
      </Button>
      <Wrong error={action.error} />
      {found && (
        <ul className="max-h-40 overflow-auto break-words text-ink-2" aria-label="Would break it">
          {found.length === 0 && <li>Nothing would break it.</li>}
          {found.map((one, at) => (
            <li key={at}>{one}</li>
          ))}
        </ul>
      )}
    </div>
  )
}

interface NamedProps<T> {
  title: string
  all: ReturnType<typeof useData<T[]>>
  /** What holds where none is set. */
  none: string
  /** Whether the reader may change them. */
  may: boolean
  Says: ComponentType<{ one: T; may: boolean }>
  Edit: ComponentType<{ one?: T; close: () => void }>
}

/** Every one that the reader sees. */
export function Named<T extends { name: string; in_files?: boolean }>({
  title,
  all,
  none,
  may,
  Says,
  Edit,
}: NamedProps<T>) {
  const [edit, setEdit] = useState<{ one?: T }>()
  return (
    <Section
      title={title}
      aside={
        may && (
          <Button look="quiet" onClick={() => setEdit({})}>
            Add one
          </Button>
        )
      }
    >
      <Shown of={title.toLowerCase()} query={all} lines={2}>
        {(all) =>
          all.length === 0 ? (
            <Empty>{none}</Empty>
          ) : (
            <ul>
              {all.map((one) => (
                <li
                  key={one.name}
                  className="flex items-start justify-between gap-3 border-b border-line px-3.5 py-2 last:border-0"
                >
                  <div className="min-w-0">
                    <Says one={one} may={may} />
                    {one.in_files && (
                      <p className="text-ink-2">In files: what is changed here is put back with the next filing.</p>
                    )}
                  </div>
                  {may && (
                    <Button look="quiet" onClick={() => setEdit({ one })}>
                      Change
                    </Button>
                  )}
                </li>
              ))}
            </ul>
          )
        }
      </Shown>
      {edit && <Edit {...edit} close={() => setEdit(undefined)} />}
    </Section>
  )
}
