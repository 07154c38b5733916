//! Predicts the water level from tidal constituents: one event a line comes in, one answer a line goes out.
use std::io::{self, BufRead, Write};

struct Constituent {
    speed: f64,
    amplitude: f64,
    phase: f64,
}

fn read_table() -> Vec<Constituent> {
    // The host starts us in another folder; the table lies beside the executable.
    let path = std::env::current_exe().unwrap().with_file_name("constituents.txt");
    let text = std::fs::read_to_string(path).expect("constituents.txt");
    text.lines()
        .filter(|line| !line.starts_with('#'))
        .filter_map(|line| {
            let row: Vec<f64> = line.split_whitespace().skip(1).filter_map(|n| n.parse().ok()).collect();
            (row.len() == 3).then(|| Constituent { speed: row[0], amplitude: row[1], phase: row[2] })
        })
        .collect()
}

fn hours_of(event: &str) -> Option<f64> {
    let rest = event.split("\"hours\":").nth(1)?.trim_start();
    rest.split(|c: char| c != '.' && c != '-' && !c.is_ascii_digit()).next()?.parse().ok()
}

fn main() {
    let table = read_table();
    let mean: f64 = std::env::var("MEAN_LEVEL_CM").ok().and_then(|text| text.parse().ok()).unwrap_or(0.0);
    for event in io::stdin().lock().lines().map_while(Result::ok) {
        let hours = hours_of(&event).expect("an event with `hours`");
        let tide: f64 = table.iter().map(|c| c.amplitude * (c.speed * hours - c.phase).to_radians().cos()).sum();
        println!("{{\"levelCm\":{:.1}}}", mean + tide);
        io::stdout().flush().unwrap();
    }
}
