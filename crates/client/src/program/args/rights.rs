//! Verbs about standing rights, eligibilities and terms.

use std::path::PathBuf;

use clap::{Args as ClapArgs, Subcommand};
use jiff::Timestamp;
use tempestas_core::Seconds;

use super::{YesNo, span};

#[derive(ClapArgs)]
pub(crate) struct StandingArgs {
    /// Those that reach this scope.
    #[arg(long)]
    pub(crate) at: Option<String>,
    /// Those of this person, group or program.
    #[arg(long)]
    pub(crate) who: Option<String>,
    /// Those of this role.
    #[arg(long)]
    pub(crate) role: Option<String>,
    #[command(flatten)]
    pub(crate) group: GroupArgs,
    /// Those that the terms let nobody like their holder hold all the time.
    #[arg(long)]
    pub(crate) against_terms: bool,
    /// Only their references, each on a line, for `tempestas convert`.
    #[arg(long, conflicts_with = "json")]
    pub(crate) refs: bool,
}

/// Systems by what is said of them.
#[derive(ClapArgs)]
pub(crate) struct GroupArgs {
    /// On systems that administrators labelled so, like stage=production; a `*` at the end stands for anything.
    #[arg(long)]
    pub(crate) label: Option<String>,
    /// On systems that say so of themselves, like 'system=debian 11*'.
    #[arg(long)]
    pub(crate) says: Option<String>,
}

#[derive(Subcommand)]
pub(crate) enum WaysVerb {
    /// Who can reach a scope and anything in it, or one right.
    To {
        /// A path, or ROLE@/PATH.
        place: String,
    },
    /// What a person or program can reach.
    Of {
        /// Whose.
        who: String,
    },
}

#[derive(Subcommand)]
pub(crate) enum DriftVerb {
    /// List what nobody has decided about yet.
    List {
        /// Those that were decided, too.
        #[arg(long)]
        all: bool,
        /// Those on this scope or below.
        #[arg(long)]
        at: Option<String>,
    },
    /// Take one as it is.
    Adopt {
        /// Its reference, like f12.
        drift: String,
    },
    /// Have the target put back as it was.
    PutBack {
        /// Its reference, like f12.
        drift: String,
    },
    /// What to change where a right comes from that something else puts there: a diff, or SQL; changes nothing.
    Patch {
        /// Its reference, like f12.
        drift: String,
    },
    /// Hear nothing of one until a date.
    Ignore {
        /// Its reference, like f12.
        drift: String,
        /// Why.
        #[arg(long)]
        reason: String,
        /// Until when, at most a year ahead.
        #[arg(long)]
        until: Timestamp,
    },
}

#[derive(Subcommand)]
pub(crate) enum ConvertVerb {
    /// What converting would do, right by right; changes nothing.
    Preview {
        /// References, like h12.
        #[arg(required = true)]
        rights: Vec<String>,
    },
    /// How it would have fared, had it been done before: recorded use, replayed against the terms; changes nothing.
    Rehearse {
        /// References, like h12.
        #[arg(required = true)]
        rights: Vec<String>,
        /// How many days back.
        #[arg(long, default_value_t = 90)]
        days: u16,
        /// By whose clock it is night, an IANA name; this machine's, where it is left out.
        #[arg(long)]
        zone: Option<String>,
        /// A file with a rule of terms to try besides those that hold, as `tempestas terms set` reads it.
        #[arg(long)]
        rule: Option<PathBuf>,
    },
    /// Show the preview, then do it, in waves where that is asked for.
    Apply {
        /// References, like h12.
        #[arg(required = true)]
        rights: Vec<String>,
        /// When the eligibilities end.
        #[arg(long)]
        until: Option<Timestamp>,
        #[command(flatten)]
        waves: WaveArgs,
        /// Don't ask whether you are sure.
        #[arg(long)]
        yes: bool,
        /// Wait until the targets were read back.
        #[arg(long)]
        wait: bool,
    },
    /// List conversions.
    List,
    /// Begin the next wave of one, once the wave before was looked at.
    Next {
        /// Reference, like C12.
        conversion: String,
        /// Wait until the targets were read back.
        #[arg(long)]
        wait: bool,
    },
}

#[derive(ClapArgs)]
pub(crate) struct WaveArgs {
    /// What to call it.
    #[arg(long)]
    pub(crate) name: Option<String>,
    /// A right that goes first; may be given several times. The rest waits for `tempestas convert next`.
    #[arg(long)]
    pub(crate) pilot: Vec<String>,
    /// How many rights go together after the pilot; all, where it is left out.
    #[arg(long)]
    pub(crate) wave_size: Option<u32>,
    /// How long after a wave was read back the next begins by itself, like 1d or 4h; you begin it, where it is left out.
    #[arg(long, value_parser = super::span)]
    pub(crate) pace: Option<Seconds>,
    /// Stop by itself when more than so many percent of a wave can't be taken away.
    #[arg(long)]
    pub(crate) stop_percent: Option<u8>,
    /// For how many days it may be undone.
    #[arg(long)]
    pub(crate) undo_days: Option<u16>,
}

#[derive(Subcommand)]
pub(crate) enum EligibleVerb {
    /// Make somebody eligible.
    Give {
        /// Person, group or program.
        who: String,
        /// The right, ROLE@/PATH.
        right: String,
        /// From when.
        #[arg(long)]
        from: Option<Timestamp>,
        /// Until when.
        #[arg(long)]
        until: Option<Timestamp>,
        /// Why.
        #[arg(long)]
        reason: Option<String>,
    },
    /// Change its window in place; for one of your own that is to last longer, this asks for it.
    Change {
        /// Its id, like y12.
        id: String,
        /// From when.
        #[arg(long)]
        from: Option<Timestamp>,
        /// Until when.
        #[arg(long, conflicts_with = "for_good")]
        until: Option<Timestamp>,
        /// Without an end, where the terms let it.
        #[arg(long)]
        for_good: bool,
        /// Why.
        #[arg(long)]
        reason: Option<String>,
    },
    /// Let nobody ask by it for now; it stays as it is.
    Suspend {
        /// Its id, like y12.
        id: String,
        /// Why, for those it bars to read.
        #[arg(long)]
        reason: String,
    },
    /// Resume one that was suspended.
    Resume {
        /// Its id, like y12.
        id: String,
    },
    /// End an eligibility.
    End {
        /// Its id, like y12.
        id: String,
    },
    /// What you are not eligible for, and may ask to be.
    Offered {
        /// Words to look for, in the right or in what it lets one do.
        words: Vec<String>,
    },
    /// Ask to be made eligible for something that is offered, for a while.
    Wish {
        /// The right, ROLE@/PATH.
        right: String,
        /// Until when.
        #[arg(long, required_unless_present = "lasts", conflicts_with = "lasts")]
        until: Option<Timestamp>,
        /// For how long from now, like 12h or 30d.
        #[arg(long = "for", value_parser = span)]
        lasts: Option<Seconds>,
        /// Not you alone: this group of yours.
        #[arg(long)]
        group: Option<String>,
        /// Why.
        #[arg(long)]
        reason: Option<String>,
    },
    /// Wishes to be made eligible that wait for a yes.
    Wishes {
        /// Those that were settled, too.
        #[arg(long)]
        all: bool,
    },
    /// Answer a wish; what you answer is shown first.
    Answer {
        /// Reference, like A12.
        wish: String,
        /// Yes or no.
        verdict: YesNo,
        /// Why; always with a no.
        #[arg(long)]
        reason: Option<String>,
        /// Don't ask whether you are sure.
        #[arg(long)]
        yes: bool,
    },
    /// Take a wish back.
    TakeBack {
        /// Reference, like A12.
        wish: String,
    },
}

#[derive(Subcommand)]
pub(crate) enum CoverVerb {
    /// Have somebody stand in for an absent person, for all that person may ask for.
    Begin {
        /// Who will be absent.
        absent: String,
        /// Who stands in.
        #[arg(long)]
        by: String,
        /// From when; now, where it is left out.
        #[arg(long)]
        from: Option<Timestamp>,
        /// Until when.
        #[arg(long)]
        until: Timestamp,
        /// Why.
        #[arg(long)]
        reason: Option<String>,
    },
    /// Covers, those in force first.
    List,
    /// The account of one: everything that was asked for and done by it.
    Show {
        /// Reference, like A12.
        cover: String,
    },
    /// End one early.
    End {
        /// Reference, like A12.
        cover: String,
    },
}

#[derive(Subcommand)]
pub(crate) enum DelegateVerb {
    /// Have somebody answer in your place while you are away.
    Begin {
        /// Who answers.
        delegate: String,
        /// From when; now, where it is left out.
        #[arg(long)]
        from: Option<Timestamp>,
        /// Until when.
        #[arg(long)]
        until: Timestamp,
        /// In whose place, where it isn't yours; for administrators of everything.
        #[arg(long)]
        of: Option<String>,
        /// Why.
        #[arg(long)]
        reason: Option<String>,
    },
    /// Who answers in whose place, the next absence first.
    List,
    /// End one before its time.
    End {
        /// Reference, like w12.
        delegation: String,
    },
}
