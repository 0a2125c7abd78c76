//! The page is built before the binary; without it the binary still builds, and says so when asked.

fn main() -> std::io::Result<()> {
    std::fs::create_dir_all("../web/dist")?;
    println!("cargo:rerun-if-changed=../web/dist");
    Ok(())
}
