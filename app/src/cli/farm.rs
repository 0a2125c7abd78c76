//! `owl-dome bundle` and `owl-dome farm`: an order that many machines make.

use super::Outcome;
use super::render::progress::Progress;
use crate::folder::DataFolder;
use crate::model::jobs::JobState;
use crate::work::App;
use crate::work::farm::bundle::{Bundle, Cut, set_aside};
use crate::work::farm::slurm::{self, Sent, Wish};
use clap::{Args, Subcommand};
use serde_json::json;
use std::path::{Path, PathBuf};

#[derive(Args)]
pub(super) struct BundleArgs {
    /// The data folder, which a server may use at the same time
    #[arg(long, value_name = "DIR", default_value = "data")]
    data: PathBuf,
    /// Number of the order; it waits aside until it is collected
    #[arg(long, value_name = "N")]
    order: i64,
    /// The bundle's folder, where all machines see it
    #[arg(short, long, value_name = "DIR")]
    output: PathBuf,
    /// Frames of a chunk; one by itself, or as many as keep the chunks below a thousand
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    frames: Option<u64>,
    /// Parts of a still
    #[arg(long, value_name = "N", default_value_t = 8, value_parser = clap::value_parser!(u32).range(1..=1000))]
    parts: u32,
}

#[derive(Args)]
pub(super) struct FarmArgs {
    #[command(subcommand)]
    what: FarmCommand,
}

#[derive(Subcommand)]
enum FarmCommand {
    /// Give the farm all chunks that are not there yet, and the joining after them
    Submit {
        /// The bundle
        bundle: PathBuf,
        /// The program on the nodes; this one's path if not given
        #[arg(long, value_name = "PATH")]
        program: Option<PathBuf>,
        /// The partition
        #[arg(long, value_name = "NAME")]
        partition: Option<String>,
    },
    /// Tell how far it is
    Status {
        /// The bundle
        bundle: PathBuf,
        /// As JSON
        #[arg(long)]
        json: bool,
    },
    /// End it; what is finished stays, and submit goes on from it
    Cancel {
        /// The bundle
        bundle: PathBuf,
    },
    /// Bring what is finished home; the order then goes on in its queue, which checks every file and makes what is missing
    Collect {
        /// The bundle
        bundle: PathBuf,
        /// The data folder
        #[arg(long, value_name = "DIR", default_value = "data")]
        data: PathBuf,
        /// The folder for frames, as the server was told
        #[arg(long, value_name = "DIR")]
        out: Option<PathBuf>,
    },
    /// Make one chunk: what a task does
    Run {
        /// The bundle
        bundle: PathBuf,
        /// Number of the chunk
        #[arg(long, value_name = "N")]
        chunk: usize,
    },
    /// Join the chunks: what the last task does
    Join {
        /// The bundle
        bundle: PathBuf,
    },
}

pub(super) fn bundle(args: &BundleArgs) -> Outcome {
    let app = App::beside(DataFolder::look(&args.data)?)?;
    let row = app.store.order(args.order)?;
    if row.state == JobState::Running {
        return Err(format!(
            "Order {} is being made just now; stop it first, and it goes on from what is finished.",
            row.id
        )
        .into());
    }
    let cut = Cut {
        frames: args.frames,
        parts: args.parts,
    };
    let bundle = Bundle::make(&app, &row, &args.output, &cut, &Progress::new(None))?;
    set_aside(&app.store, row.id, true)?;
    println!(
        "{}: order {} in {} chunks",
        bundle.root().display(),
        bundle.order(),
        bundle.chunks()
    );
    Ok(())
}

fn sent(bundle: &Bundle) -> Result<Sent, String> {
    bundle.sent().ok_or_else(|| {
        format!(
            "{} was not given to the farm; do that with owl-dome farm submit.",
            bundle.root().display()
        )
    })
}

fn said(notes: Vec<String>) {
    for note in notes {
        eprintln!("{note}");
    }
}

pub(super) fn run(args: &FarmArgs) -> Outcome {
    match &args.what {
        FarmCommand::Submit {
            bundle,
            program,
            partition,
        } => {
            let bundle = Bundle::open(bundle)?;
            let sent = bundle.submit(&Wish {
                program: program.clone(),
                partition: partition.clone(),
            })?;
            match sent.array {
                Some(array) => println!("Array job {array}, joined by job {}", sent.join),
                None => println!("All chunks are there; joined by job {}", sent.join),
            }
        }
        FarmCommand::Status { bundle, json } => status(&Bundle::open(bundle)?, *json)?,
        FarmCommand::Cancel { bundle } => {
            let bundle = Bundle::open(bundle)?;
            slurm::cancel(&sent(&bundle)?)?;
            println!("Ended; what is finished is kept, and submit goes on from it.");
        }
        FarmCommand::Collect { bundle, data, out } => collect(bundle, data, out.as_deref())?,
        FarmCommand::Run { bundle, chunk } => {
            said(Bundle::open(bundle)?.run(*chunk, &Progress::new(None))?);
            eprintln!();
            println!("Chunk {chunk} is there.");
        }
        FarmCommand::Join { bundle } => {
            let bundle = Bundle::open(bundle)?;
            said(bundle.join()?);
            println!("{} is whole.", bundle.root().display());
        }
    }
    Ok(())
}

fn status(bundle: &Bundle, as_json: bool) -> Outcome {
    let (done, total) = bundle.progress()?;
    let states = bundle.sent().map(|s| slurm::states(&s)).transpose()?;
    if as_json {
        let farm = states
            .as_ref()
            .map(|s| json!({"running": s.running, "waiting": s.waiting, "failed": s.failed}));
        println!("{}", json!({"done": done, "total": total, "farm": farm}));
        return Ok(());
    }
    let farm = states.map_or_else(|| "not given to the farm".to_owned(), |s| s.told());
    println!("{done} of {total} are there; {farm}");
    Ok(())
}

fn collect(bundle: &Path, data: &Path, out: Option<&Path>) -> Outcome {
    let bundle = Bundle::open(bundle)?;
    let mut folder = DataFolder::look(data)?;
    if let Some(out) = out {
        folder = folder.with_out(out)?;
    }
    let app = App::beside(folder)?;
    let row = app.store.order(bundle.order())?;
    let came = bundle.collect(&app, &row)?;
    set_aside(&app.store, row.id, false)?;
    println!(
        "{came} files came home; order {} goes on in its queue.",
        row.id
    );
    Ok(())
}
