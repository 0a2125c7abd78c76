//! `owl-dome serve`.

use super::Outcome;
use crate::folder::DataFolder;
use crate::work::farm::Farm;
use crate::work::recover::{Recovered, recover};
use crate::work::{App, bring};
use clap::Args;
use dome_trace::preview::ENOUGH;
use std::io::Write;
use std::net::{Ipv4Addr, TcpListener};
use std::path::PathBuf;
use std::sync::Arc;

#[derive(Args)]
pub(super) struct ServeArgs {
    /// The data folder; it is made if it is not there
    #[arg(long, value_name = "DIR", default_value = "data")]
    data: PathBuf,
    /// The port on 127.0.0.1; 0 takes a free one
    #[arg(long, value_name = "N", default_value_t = 8360)]
    port: u16,
    /// The folder for frames of sequences, which must be there; without it they go to out/ in the data folder
    #[arg(long, value_name = "DIR")]
    out: Option<PathBuf>,
    /// Have orders made by a farm: slurm
    #[arg(long, value_name = "FARM", value_parser = ["slurm"], requires = "shared", conflicts_with_all = ["no_work", "recover"])]
    farm: Option<String>,
    /// The folder that all machines of the farm see; each order gets a folder in it
    #[arg(long, value_name = "DIR", requires = "farm")]
    shared: Option<PathBuf>,
    /// Leave the queue to `owl-dome work`
    #[arg(long, conflicts_with = "recover")]
    no_work: bool,
    /// Samples a pixel after which live pictures rest, 1 to 256; fewer leave a busy machine more for other work
    #[arg(long, value_name = "N", default_value_t = ENOUGH, value_parser = clap::value_parser!(u32).range(1..=i64::from(ENOUGH)))]
    live_samples: u32,
    /// Fill an empty data folder with the Merlow Observatory
    #[arg(long)]
    demo: bool,
    /// Bring back a data folder whose database is missing or empty: by the newest copy in its backups/ or, where there is
    /// none, by reading in again the scenes and pictures that lie there
    #[arg(long)]
    recover: bool,
    /// Serve the page from this folder instead of the binary, while developing
    #[arg(long, value_name = "DIR", hide = true)]
    web: Option<PathBuf>,
}

pub(super) fn run(args: &ServeArgs) -> Outcome {
    // First of all, so that nothing is put in order for a server that cannot be reached.
    let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, args.port)).map_err(|e| {
        format!(
            "The server could not start on port {}: {e}. Choose another with --port.",
            args.port
        )
    })?;
    let mut folder = DataFolder::open(&args.data)?;
    if let Some(out) = &args.out {
        folder = folder.with_out(out)?;
    }
    // A comfort: a disk without room for it has none for anything else.
    let _ = folder.tell_out();
    let app = if args.recover {
        let (app, done) = recover(folder)?;
        tell(&done);
        app
    } else if let Some(shared) = args.shared.as_ref().filter(|_| args.farm.is_some()) {
        let shared = std::path::absolute(shared).ok().filter(|p| p.is_dir());
        let shared = shared.ok_or("The folder that --shared names is not there; make it, where all machines of the farm see it.")?;
        App::open_on_farm(folder, Farm { shared })?
    } else if args.no_work {
        App::open_idle(folder)?
    } else {
        App::open(folder)?
    };
    app.previews.rest_after(args.live_samples);
    if args.demo {
        bring::demo(&app)?;
    }
    let background = Arc::clone(&app);
    std::thread::spawn(move || {
        // Cards are a comfort: one that cannot be made is left out.
        for card in background.store.project_cards().unwrap_or_default() {
            let _ = bring::make_card(&background, card.id);
        }
    });
    // Whoever started the server may not be listening.
    let _ = writeln!(std::io::stdout(), "{}", crate::work::denoise::told());
    let server = crate::api::server(app, listener, args.web.clone());
    match rocket::execute(server.launch()) {
        // Everything that counts is on disk by now; work that cannot be heard by anyone is not waited for.
        Ok(_) => std::process::exit(0),
        Err(e) => {
            let late = matches!(e.kind(), rocket::error::ErrorKind::Shutdown(..));
            let reason = e.to_string();
            // The library's error must be looked at before it is dropped.
            std::mem::forget(e);
            if late {
                std::process::exit(0);
            }
            Err(format!("The server could not start: {reason}.").into())
        }
    }
}

fn tell(done: &Recovered) {
    match done {
        Recovered::Copy {
            copy,
            damaged,
            newer,
            lacking,
        } => {
            println!("The copy {} is in place again.", copy.display());
            if let Some(aside) = damaged {
                println!("The damaged database is in {}.", aside.display());
            }
            if *newer > 0 {
                println!(
                    "{newer} of its records are newer than the copy, could be read, and are in place too."
                );
            }
            for name in lacking {
                println!("Not taken over, since what it belongs to could not be read: {name}");
            }
        }
        Recovered::ReadIn { aside, left } => {
            println!(
                "There was no copy of the database. Scenes, pictures and masters were read in again; names, viewpoints, settings and orders are lost. What lay there is in {}.",
                aside.display()
            );
            for sentence in left {
                println!("Not read in: {sentence}");
            }
        }
    }
}
