//! A database of its own on the server that the tests were told of.

use postgres::{Client, NoTls};

use super::folder::Folder;

/// Where the server is, without its databases; nothing where there is none, which is said.
pub fn postgres() -> Option<String> {
    let address = std::env::var("GRANUM_TEST_POSTGRES").ok();
    if address.is_none() {
        eprintln!(
            "left out: GRANUM_TEST_POSTGRES names no server (scripts/with_servers.sh starts one)"
        );
    }
    address
}

/// A database, and who asks it.
pub struct Database {
    pub client: Client,
    pub address: String,
}

/// A new database of a name, in which a text has been run; nothing where there is no server.
pub fn database(name: &str, text: &str) -> Option<Database> {
    let server = postgres()?;
    let mut client = Client::connect(&format!("{server}/postgres"), NoTls).unwrap();
    client.batch_execute(&format!("DROP DATABASE IF EXISTS {name} WITH (FORCE)")).unwrap();
    client.batch_execute(&format!("CREATE DATABASE {name}")).unwrap();
    let address = format!("{server}/{name}");
    let mut client = Client::connect(&address, NoTls).unwrap();
    client.batch_execute(text).unwrap();
    Some(Database { client, address })
}

impl Database {
    /// The first column of what a query gives, as text.
    pub fn all(&mut self, query: &str) -> String {
        let query = format!("SELECT coalesce(string_agg(v::text, ' '), '') FROM ({query}) q(v)");
        self.client.query_one(&query, &[]).unwrap().get(0)
    }

    pub fn run(&mut self, text: &str) {
        self.client.batch_execute(text).unwrap();
    }

    /// A text in which the server is called as on every machine.
    pub fn plain(&self, text: &str) -> String {
        let port = self.address.rsplit(':').next().unwrap().split('/').next().unwrap();
        text.replace(&format!(":{port}/"), ":54321/")
    }

    /// A plan in a new folder, in which `DB` stands for the address.
    pub fn plan(&self, text: &str) -> Folder {
        let folder = Folder::new();
        folder.plan(&text.replace("DB", &self.address));
        folder
    }
}
