//! What the control groups leave that the program is in: its own, and each that is around it.

use std::fs;
use std::path::{Path, PathBuf};

use procfs::ProcessCGroups;
use procfs::process::{MountInfos, Process};

/// The bytes that they leave; nothing where none says how much there may be. What of a group's memory holds files goes
/// where there is need, and counts as left.
pub fn left() -> Option<u64> {
    let folders = Process::myself().and_then(|own| Ok(folders(&own.cgroups()?, &own.mountinfo()?)));
    folders.ok()?.iter().filter_map(|(folder, names)| left_in(folder, names)).min()
}

/// The folders of groups, and how files are called there.
fn folders(groups: &ProcessCGroups, mounts: &MountInfos) -> Vec<(PathBuf, &'static Names)> {
    let mut folders = vec![];
    for group in groups {
        let (kind, names) = match group.hierarchy {
            0 => ("cgroup2", &UNIFIED),
            _ if group.controllers.iter().any(|name| name == MEMORY) => ("cgroup", &OF_MEMORY),
            _ => continue,
        };
        let held = |options: &std::collections::HashMap<String, Option<String>>| {
            kind == "cgroup2" || options.contains_key(MEMORY)
        };
        let mount = mounts.iter().find(|all| all.fs_type == kind && held(&all.super_options));
        let Some(mount) = mount else { continue };
        // Of a mount that begins within a group, what is around that is not seen.
        let own = match Path::new(&group.pathname).strip_prefix(&mount.root) {
            Ok(within) if within != Path::new("") => mount.mount_point.join(within),
            _ => mount.mount_point.clone(),
        };
        let around = own.ancestors().take_while(|folder| folder.starts_with(&mount.mount_point));
        folders.extend(around.map(|folder| (folder.to_owned(), names)));
    }
    folders
}

/// Of the hierarchies of one controller each, the one of memory.
const MEMORY: &str = "memory";

/// How a group's files are called: the most that it may hold, what it holds, and what of that holds files.
struct Names {
    most: &'static str,
    held: &'static str,
    files: [&'static str; 2],
}

/// Source: "Control Group v2", the documentation of Linux.
static UNIFIED: Names =
    Names { most: "memory.max", held: "memory.current", files: ["inactive_file", "active_file"] };

/// Source: "Memory Resource Controller", the documentation of Linux; numbers of a group with those in it.
static OF_MEMORY: Names = Names {
    most: "memory.limit_in_bytes",
    held: "memory.usage_in_bytes",
    files: ["total_inactive_file", "total_active_file"],
};

fn left_in(folder: &Path, names: &Names) -> Option<u64> {
    let text = |name: &str| fs::read_to_string(folder.join(name)).ok();
    let number = |name: &str| text(name)?.trim().parse::<u64>().ok();
    let (most, held) = (number(names.most)?, number(names.held)?);
    let told = text("memory.stat").unwrap_or_default();
    let of_file = |line: &str| {
        let (name, bytes) = line.split_once(' ')?;
        names.files.contains(&name).then(|| bytes.parse::<u64>().ok())?
    };
    let files: u64 = told.lines().filter_map(of_file).sum();
    Some(most.saturating_sub(held.saturating_sub(files)))
}

#[cfg(test)]
mod tests {
    use procfs::{FromBufRead, ProcResult};

    use super::*;

    fn found(groups: &str, mounts: &str) -> ProcResult<Vec<String>> {
        let groups = ProcessCGroups::from_buf_read(groups.as_bytes())?;
        let mounts = MountInfos::from_buf_read(mounts.as_bytes())?;
        let folders = folders(&groups, &mounts).into_iter();
        Ok(folders.map(|(folder, names)| format!("{} {}", folder.display(), names.most)).collect())
    }

    #[test]
    fn a_group_and_those_around_it_are_found_where_they_are_mounted() -> ProcResult<()> {
        let unified = "31 23 0:28 / /sys/fs/cgroup rw - cgroup2 cgroup2 rw,nsdelegate\n";
        assert_eq!(
            found("0::/jobs.slice/night\n", unified)?,
            [
                "/sys/fs/cgroup/jobs.slice/night memory.max",
                "/sys/fs/cgroup/jobs.slice memory.max",
                "/sys/fs/cgroup memory.max"
            ]
        );
        let apart = "33 31 0:30 / /cg/cpu rw - cgroup cgroup rw,cpu\n\
                     35 31 0:32 / /cg/memory rw - cgroup cgroup rw,memory\n";
        assert_eq!(
            found("4:memory:/night\n1:cpu:/\n0::/\n", apart)?,
            ["/cg/memory/night memory.limit_in_bytes", "/cg/memory memory.limit_in_bytes"]
        );
        // In a container a mount begins with its own group.
        let own = "35 31 0:32 /box/7 /cg/memory rw - cgroup cgroup rw,memory\n";
        for group in ["4:memory:/box/7\n", "4:memory:/\n"] {
            assert_eq!(found(group, own)?, ["/cg/memory memory.limit_in_bytes"]);
        }
        assert_eq!(found("4:memory:/night\n", "")?, [""; 0]);
        Ok(())
    }

    #[test]
    fn what_holds_files_counts_as_left() -> std::io::Result<()> {
        let folder = tempfile::tempdir()?;
        let write = |name: &str, text: &str| fs::write(folder.path().join(name), text);
        assert_eq!(left_in(folder.path(), &UNIFIED), None);
        write("memory.current", "700\n")?;
        write("memory.max", "max\n")?;
        assert_eq!(left_in(folder.path(), &UNIFIED), None);
        write("memory.max", "1000\n")?;
        assert_eq!(left_in(folder.path(), &UNIFIED), Some(300));
        write(
            "memory.stat",
            "anon 100\nfile 600\ninactive_file 250\nactive_file 150\nshmem 200\n",
        )?;
        assert_eq!(left_in(folder.path(), &UNIFIED), Some(700));
        write("memory.max", "100\n")?;
        assert_eq!(left_in(folder.path(), &UNIFIED), Some(0));
        write("memory.limit_in_bytes", "900\n")?;
        write("memory.usage_in_bytes", "600\n")?;
        write("memory.stat", "inactive_file 7\ntotal_inactive_file 300\ntotal_active_file 50\n")?;
        assert_eq!(left_in(folder.path(), &OF_MEMORY), Some(650));
        Ok(())
    }
}
