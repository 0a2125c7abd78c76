//! A real Slurm with two nodes on this machine, on loopback, without systemd, cgroups or accounting; whoever calls it runs it.

use crate::support::{patience, wait_for};
use std::net::TcpListener;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU16, Ordering};
use std::time::Instant;

/// The nodes.
pub const NODES: [&str; 2] = ["n1", "n2"];

/// Its daemons, which end with it.
pub struct Slurm {
    folder: tempfile::TempDir,
    daemons: Vec<(&'static str, Child)>,
}

/// Ports that are free, below those that systems give to whoever asks for any: another server of the tests takes none of them.
fn free_ports<const N: usize>() -> [u16; N] {
    static NEXT: AtomicU16 = AtomicU16::new(0);
    let first = 20_000 + (std::process::id() % 1_000) as u16 * 10;
    [(); N].map(|()| {
        loop {
            let port = first + NEXT.fetch_add(1, Ordering::Relaxed) % 2_000;
            if TcpListener::bind(("127.0.0.1", port)).is_ok() {
                return port;
            }
        }
    })
}

/// A program of the package, wherever this system keeps it.
fn program(name: &str) -> PathBuf {
    let found = ["/usr/sbin", "/usr/bin", "/sbin"]
        .iter()
        .map(|folder| Path::new(folder).join(name))
        .find(|p| p.exists());
    found.unwrap_or_else(|| {
        panic!("{name} is not installed: apt-get install --no-install-recommends slurm-wlm munge")
    })
}

/// Processes by a condition on their command line.
pub fn processes(wanted: impl Fn(&str) -> bool) -> Vec<u32> {
    let entries = std::fs::read_dir("/proc").unwrap().flatten();
    let numbers = entries.filter_map(|e| e.file_name().to_str()?.parse().ok());
    numbers
        .filter(|pid: &u32| {
            let line = std::fs::read(format!("/proc/{pid}/cmdline")).unwrap_or_default();
            let line = String::from_utf8_lossy(&line).replace('\0', " ");
            !line.is_empty() && wanted(&line)
        })
        .collect()
}

/// Ends a process as a power cut would.
pub fn kill(pid: u32) {
    let _ = Command::new("kill").args(["-9", &pid.to_string()]).status();
}

impl Slurm {
    /// Starts it; its nodes are ready then.
    pub fn start() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().to_owned();
        // munge refuses a folder that others cannot look into.
        std::fs::set_permissions(&root, PermissionsExt::from_mode(0o755)).unwrap();
        for part in ["state", "spool.n1", "spool.n2"] {
            std::fs::create_dir(root.join(part)).unwrap();
        }
        let [ctl, n1, n2] = free_ports::<3>();
        let user =
            String::from_utf8(Command::new("id").arg("-un").output().unwrap().stdout).unwrap();
        let user = user.trim();
        let at = root.display();
        let config = format!(
            "ClusterName=merlow
SlurmctldHost=localhost(127.0.0.1)
SlurmctldPort={ctl}
SlurmUser={user}
SlurmdUser={user}
AuthType=auth/munge
AuthInfo=socket={at}/munge.sock,cred_expire=5
CredType=cred/munge
CommunicationParameters=NoInAddrAny,NoCtldInAddrAny
StateSaveLocation={at}/state
SlurmctldPidFile={at}/slurmctld.pid
SlurmdPidFile={at}/slurmd.%n.pid
SlurmdSpoolDir={at}/spool.%n
SlurmctldLogFile={at}/slurmctld.log
SlurmdLogFile={at}/slurmd.%n.log
ProctrackType=proctrack/pgid
TaskPlugin=task/none
JobAcctGatherType=jobacct_gather/none
AccountingStorageType=accounting_storage/none
MpiDefault=none
SwitchType=switch/none
SelectType=select/cons_tres
SelectTypeParameters=CR_CPU
SchedulerType=sched/backfill
SchedulerParameters=sched_interval=2,bf_interval=1,batch_sched_delay=0,sched_min_interval=50000
SlurmdParameters=config_overrides
ReturnToService=2
SlurmdTimeout=10
SlurmctldTimeout=10
InactiveLimit=0
KillWait=3
MinJobAge=300
JobRequeue=1
NodeName=n1 NodeHostname=localhost NodeAddr=127.0.0.1 Port={n1} CPUs=1 RealMemory=1000 State=UNKNOWN
NodeName=n2 NodeHostname=localhost NodeAddr=127.0.0.1 Port={n2} CPUs=1 RealMemory=1000 State=UNKNOWN
PartitionName=main Nodes=n1,n2 Default=YES MaxTime=INFINITE State=UP
"
        );
        std::fs::write(root.join("slurm.conf"), config).unwrap();
        let key = root.join("munge.key");
        std::fs::write(&key, [0x4du8; 128]).unwrap();
        std::fs::set_permissions(&key, PermissionsExt::from_mode(0o600)).unwrap();
        let mut slurm = Self {
            folder,
            daemons: Vec::new(),
        };
        let option = |name: &str, file: &str| format!("--{name}={}", root.join(file).display());
        slurm.daemon(
            "munged",
            &[
                "-F".into(),
                option("key-file", "munge.key"),
                option("socket", "munge.sock"),
                option("pid-file", "munged.pid"),
                option("log-file", "munged.log"),
                option("seed-file", "munge.seed"),
            ],
        );
        wait_for("munge", || root.join("munge.sock").exists().then_some(()));
        let config = root.join("slurm.conf").display().to_string();
        slurm.daemon("slurmctld", &["-D".into(), "-f".into(), config.clone()]);
        for node in NODES {
            slurm.node(node);
        }
        slurm.ready(2);
        slurm
    }

    fn node(&mut self, name: &'static str) {
        let config = self.config().display().to_string();
        self.daemon_named(
            name,
            "slurmd",
            &["-D".into(), "-f".into(), config, "-N".into(), name.into()],
        );
    }

    fn daemon(&mut self, name: &'static str, args: &[String]) {
        self.daemon_named(name, name, args);
    }

    fn daemon_named(&mut self, name: &'static str, file: &str, args: &[String]) {
        let said = std::fs::File::create(self.folder.path().join(format!("{name}.said"))).unwrap();
        let child = Command::new(program(file))
            .args(args)
            .env("SLURM_CONF", self.config())
            .stdin(Stdio::null())
            .stdout(said.try_clone().unwrap())
            .stderr(said)
            .spawn()
            .unwrap();
        self.daemons.push((name, child));
    }

    /// What commands need in `SLURM_CONF`.
    pub fn config(&self) -> PathBuf {
        self.folder.path().join("slurm.conf")
    }

    /// One of its commands.
    pub fn ask(&self, program: &str, args: &[&str]) -> String {
        let done = Command::new(program)
            .args(args)
            .env("SLURM_CONF", self.config())
            .output()
            .unwrap();
        String::from_utf8_lossy(&done.stdout).into_owned()
    }

    /// Waits until so many nodes are ready.
    fn ready(&self, count: usize) {
        let start = Instant::now();
        loop {
            let told = self.ask("sinfo", &["-h", "-N", "-o", "%T"]);
            let up = ["idle", "mixed", "allocated"];
            if told.lines().filter(|l| up.contains(&l.trim())).count() == count {
                return;
            }
            if start.elapsed() > patience() {
                let read = |name: &str| {
                    std::fs::read_to_string(self.folder.path().join(name)).unwrap_or_default()
                };
                panic!(
                    "the nodes are not ready: {told}\n{}\n{}",
                    read("slurmctld.log"),
                    read("slurmctld.said")
                );
            }
            std::thread::sleep(std::time::Duration::from_millis(100));
        }
    }

    /// Loses a node as by a power cut: its daemon and everything that it began.
    pub fn lose(&mut self, name: &str) {
        if let Some((_, daemon)) = self.daemons.iter_mut().find(|(n, _)| *n == name) {
            daemon.kill().unwrap();
            daemon.wait().unwrap();
        }
        self.daemons.retain(|(n, _)| *n != name);
        let spool = format!("spool.{name}");
        let root = self.folder.path().display().to_string();
        let ours = |pid: u32| {
            let environment = std::fs::read(format!("/proc/{pid}/environ")).unwrap_or_default();
            let text = String::from_utf8_lossy(&environment).into_owned();
            text.contains(&root)
                && (text.contains(&format!("SLURMD_NODENAME={name}")) || text.contains(&spool))
        };
        for pid in processes(|_| true).into_iter().filter(|p| ours(*p)) {
            kill(pid);
        }
    }

    /// Starts a lost node again.
    pub fn bring_back(&mut self, name: &'static str) {
        self.node(name);
    }
}

impl Drop for Slurm {
    fn drop(&mut self) {
        // What tasks began outlives the daemons: it carries our configuration in its environment.
        for (_, daemon) in &mut self.daemons {
            let _ = daemon.kill();
            let _ = daemon.wait();
        }
        let config = format!("SLURM_CONF={}", self.config().display());
        for pid in processes(|line| line.contains("slurmstepd") || line.contains("owl-dome")) {
            let environment = std::fs::read(format!("/proc/{pid}/environ")).unwrap_or_default();
            if pid != std::process::id()
                && String::from_utf8_lossy(&environment)
                    .split('\0')
                    .any(|v| v == config)
            {
                kill(pid);
            }
        }
    }
}
