//! A report as one HTML file, for who reads it on a screen: nothing else is needed beside it.

use crate::document::{Body, Document, Figure, Set, Table, Words};
use echo_formats::plot::out::{escaped, svg};
use std::fmt::Write;

const LOOK: &str = "body{font:15px/1.5 'Sofia Sans',system-ui,sans-serif;color:#10263b;max-width:860px;margin:2em auto;padding:0 1em}\
h1{font-size:1.6em;margin:.2em 0}h2{font-size:1.15em;margin:1.6em 0 .4em}h3{font-size:1em}\
.soft,figcaption,footer{color:#52667a;font-size:.85em}.letterhead{display:flex;gap:1.5em;align-items:center;margin-bottom:1em}.letterhead img{height:3.2em;max-width:12em}\
.head{border-bottom:1px solid #10263b;padding-bottom:.6em}\
figure{margin:1em 0}figure svg{width:100%;height:auto}.beside{display:grid;gap:1em}\
table{border-collapse:collapse;width:100%;font-size:.85em}th,td{border-bottom:1px solid #d9d3c3;padding:.2em .5em;text-align:left}\
th{color:#52667a;font-weight:400;border-bottom:1px solid #10263b}.digits{text-align:right;font-variant-numeric:tabular-nums}\
.loud{font-weight:600;color:#a03000}dl{display:grid;grid-template-columns:max-content 1fr;gap:.2em 1em}dd{margin:0}\
.bar{display:block;position:relative;width:6em;height:.5em;background:#efe8d4}.bar i{display:block;height:100%;background:#10263b}\
.bar::after{content:'';position:absolute;left:66.7%;top:0;bottom:0;border-left:2px solid #d08a1d}\
.refused{border-left:3px solid #b06a00;color:#8a5300;padding-left:.6em}.signs{display:flex;gap:2em;margin-top:3em}\
.signs span{flex:1;border-top:1px solid #10263b}footer{border-top:1px solid #d9d3c3;margin-top:2em;padding-top:.5em}\
@media print{body{margin:0;max-width:none}}";

/// How many figures and tables stand there so far.
#[derive(Default)]
struct Counted {
    figures: usize,
    tables: usize,
}

/// Sets a report as one HTML file.
pub fn html(report: &Document) -> String {
    let words = Words::from(report.language);
    let mut out = format!(
        "<!doctype html>\n<html lang='{}'><head><meta charset='utf-8'><meta name='viewport' content='width=device-width'>\
         <title>{}</title><style>{LOOK}</style></head><body>\n",
        words.code,
        escaped(&report.title)
    );
    let mut counted = Counted::default();
    if let Some(letterhead) = &report.letterhead {
        out += &letterhead.html();
    }
    for part in &report.parts {
        if !part.title.is_empty() && !matches!(part.body, Body::Head { .. }) {
            let _ = writeln!(out, "<h2>{}</h2>", escaped(&part.title));
        }
        body(&mut out, &part.body, &report.title, (&words, &mut counted));
    }
    let _ = write!(out, "<footer>{}</footer>\n</body></html>\n", escaped(&report.foot));
    out
}

fn body(out: &mut String, body: &Body, title: &str, (words, counted): (&Words, &mut Counted)) {
    let _ = match body {
        Body::Head { heading, subtitle } => writeln!(
            out,
            "<header class='head'><div class='soft'>{}</div><h1>{}</h1><div class='soft'>{}</div></header>",
            escaped(heading),
            escaped(title),
            escaped(subtitle)
        ),
        Body::Text { paragraphs } => writeln!(out, "{}", Set::html(paragraphs)),
        Body::Facts { rows } => {
            let row = |(name, value): &(String, String)| {
                format!("<dt class='soft'>{}</dt><dd>{}</dd>", escaped(name), escaped(value))
            };
            writeln!(out, "<dl>{}</dl>", rows.iter().map(row).collect::<String>())
        }
        Body::Figure(f) => writeln!(out, "{}", figure(f, words, counted)),
        Body::Figures { beside, figures } => {
            let all: String = figures.iter().map(|f| figure(f, words, counted)).collect();
            writeln!(out, "<div class='beside' style='grid-template-columns:repeat({beside},1fr)'>{all}</div>")
        }
        Body::Table(t) => {
            counted.tables += 1;
            writeln!(out, "{}", table(t, &format!("{} {}. ", words.table, counted.tables)))
        }
        Body::Listing { entries } => {
            let one = |(name, text): &(String, String)| format!("<p><b>{}</b><br>{}</p>", escaped(name), escaped(text));
            writeln!(out, "{}", entries.iter().map(one).collect::<String>())
        }
        Body::Signature { names } => {
            let one = |n: &String| format!("<span class='soft'>{}</span>", escaped(n));
            writeln!(out, "<div class='signs'>{}</div>", names.iter().map(one).collect::<String>())
        }
        Body::NextPage => writeln!(out, "<div style='break-after:page'></div>"),
        Body::Refused { says } => writeln!(out, "<p class='refused'>{}</p>", escaped(says)),
    };
}

fn figure(f: &Figure, words: &Words, counted: &mut Counted) -> String {
    counted.figures += 1;
    let alt = escaped(&f.alt).replace('\'', "&#39;");
    let lines = svg(&f.drawing()).replacen("<svg ", &format!("<svg role='img' aria-label='{alt}' "), 1);
    let notes = |(place, says): &(String, String)| format!("<br>{}: {}", escaped(place), escaped(says));
    format!(
        "<figure>{lines}<figcaption>{} {}. {}{}</figcaption></figure>",
        words.figure,
        counted.figures,
        Set::inline(&f.caption),
        f.notes.iter().map(notes).collect::<String>()
    )
}

fn table(t: &Table, number: &str) -> String {
    let class = |c: usize| if t.digits.get(c) == Some(&true) { " class='digits'" } else { "" };
    let cells = |row: &[String], tag: &str| -> String {
        row.iter().enumerate().map(|(c, text)| format!("<{tag}{}>{}</{tag}>", class(c), escaped(text))).collect()
    };
    let row = |(k, row): (usize, &Vec<String>)| {
        let loud = if t.loud.get(k) == Some(&true) { " class='loud'" } else { "" };
        // The bar ends at one and a half of what is allowed.
        let bar = |s: &f64| {
            format!("<td><span class='bar'><i style='width:{:.1}%'></i></span></td>", (s / 1.5).clamp(0.0, 1.0) * 100.0)
        };
        let bar = t.shares.get(k).map_or_else(String::new, bar);
        format!("<tr{loud}>{}{bar}</tr>", cells(row, "td"))
    };
    let over_bars = if t.shares.is_empty() { "" } else { "<th></th>" };
    format!(
        "<figure><table><thead><tr>{}{over_bars}</tr></thead><tbody>{}</tbody></table><figcaption>{number}{}</figcaption></figure>",
        cells(&t.heads, "th"),
        t.rows.iter().enumerate().map(row).collect::<String>(),
        Set::inline(&t.caption)
    )
}
