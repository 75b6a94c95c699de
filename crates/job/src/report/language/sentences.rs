//! Sentences that results and runs say, in German.
//!
//! They are said in English where they arise; here stands each with braces for what differs, as it is matched and said
//! again. One that is not here stays as it is.

/// A sentence in German; none where it is not known.
pub(super) fn german(english: &str) -> Option<String> {
    SENTENCES.iter().find_map(|(pattern, said)| filled(said, &parts(pattern, english)?))
}

/// What stands in a sentence where its pattern has braces; none where it is another one.
fn parts<'a>(pattern: &str, text: &'a str) -> Option<Vec<&'a str>> {
    let mut fixed = pattern.split("{}");
    let mut rest = text.strip_prefix(fixed.next()?)?;
    let mut found = Vec::new();
    let fixed: Vec<&str> = fixed.collect();
    for (k, next) in fixed.iter().enumerate() {
        let at = if k + 1 == fixed.len() && next.is_empty() {
            rest.len()
        } else if k + 1 == fixed.len() {
            rest.rfind(next)?
        } else {
            rest.find(next)?
        };
        found.push(&rest[..at]);
        rest = &rest[at + next.len()..];
    }
    rest.is_empty().then_some(found)
}

/// The sentence with its parts in place of braces; numbers with a comma, other sentences in German too.
fn filled(said: &str, parts: &[&str]) -> Option<String> {
    let mut out = String::new();
    let mut parts = parts.iter();
    for (k, fixed) in said.split("{}").enumerate() {
        if k > 0 {
            let part = parts.next()?;
            let digits = |c: char| c.is_ascii_digit() || " .,+-−…".contains(c);
            if part.chars().all(digits) {
                out += &part.replace(", ", "; ").replace('.', ",");
            } else {
                out += &german(part).unwrap_or_else(|| part.to_string());
            }
        }
        out += fixed;
    }
    Some(out)
}

/// English, German; what is longer stands before what it begins with.
const SENTENCES: &[(&str, &str)] = &[
    // What is to be kept in mind of a result.
    (
        "the speed goes from {} to {} rpm: this turn is a mean of different ones",
        "die Drehzahl geht von {} bis {} U/min: diese Umdrehung ist ein Mittel verschiedener",
    ),
    (
        "coherence needs {} averages or more and there {} {}; it is left empty",
        "Kohärenz braucht mindestens {} Mittelungen, es {} {}; sie bleibt leer",
    ),
    ("is", "ist"),
    ("are", "sind"),
    (
        "the exponential window adds {} 1/s to the decay of every mode; damping ratios read from these responses are too high by that over the angular frequency",
        "das Exponentialfenster fügt dem Abklingen jeder Eigenform {} 1/s hinzu; Dämpfungsgrade aus diesen Übertragungsfunktionen sind um diesen Wert durch die Kreisfrequenz zu hoch",
    ),
    ("more than one hit in block {} of {}", "mehr als ein Schlag in Block {} von {}"),
    (
        "at {} rpm the speed changes too fast for this width: a resonance of Q {} reads about {} % low; a width of {} keeps it within {} %",
        "bei {} U/min ändert sich die Drehzahl zu schnell für diese Breite: eine Resonanz der Güte {} wird etwa {} % zu niedrig gelesen; eine Breite von {} hält das unter {} %",
    ),
    (
        "at {} rpm the speed changes by {} % within a block: a resonance of Q {} reads about {} % low; a resolution of {} keeps it within {} %",
        "bei {} U/min ändert sich die Drehzahl in einem Block um {} %: eine Resonanz der Güte {} wird etwa {} % zu niedrig gelesen; eine Auflösung von {} hält das unter {} %",
    ),
    (
        "orders {} and {} are closer than {} and leak into each other; a finer resolution parts them",
        "die Ordnungen {} und {} liegen näher beieinander als {} und lecken ineinander; eine feinere Auflösung trennt sie",
    ),
    (
        "order {} is above 0.4 of the sample rate from {} rpm on and is not to be read there",
        "die Ordnung {} liegt ab {} U/min über dem 0,4-Fachen der Abtastrate und ist dort nicht zu lesen",
    ),
    (
        "{} and {} more move otherwise than the reference (coherence below {}): what is drawn there is only the part that goes with it",
        "{} und {} weitere bewegen sich anders als die Referenz (Kohärenz unter {}): gezeichnet ist dort nur der Teil, der mit ihr geht",
    ),
    (
        "{} move otherwise than the reference (coherence below {}): what is drawn there is only the part that goes with it",
        "{} bewegen sich anders als die Referenz (Kohärenz unter {}): gezeichnet ist dort nur der Teil, der mit ihr geht",
    ),
    (
        "from {} to {} s of the stretch the angle may be {}° off: a different count of pulses explains them nearly as well",
        "von {} bis {} s des Abschnitts kann der Winkel um {}° abweichen: eine andere Zahl von Impulsen erklärt sie fast ebenso gut",
    ),
    (
        "for {} s the angle is not known within half a degree: the pulses are too far apart for the change of speed, at {} s of the stretch",
        "über {} s ist der Winkel nicht auf ein halbes Grad bekannt: die Impulse liegen für die Änderung der Drehzahl zu weit auseinander, bei {} s des Abschnitts",
    ),
    (
        "{} of {} pulses: missing before, at {} s of the stretch",
        "{} von {} Impulsen: davor fehlt einer, bei {} s des Abschnitts",
    ),
    ("{} of {} pulses: too many, at {} s of the stretch", "{} von {} Impulsen: zu viel, bei {} s des Abschnitts"),
    (
        "{} of {} pulses: more than 15 % early or late, at {} s of the stretch",
        "{} von {} Impulsen: mehr als 15 % zu früh oder zu spät, bei {} s des Abschnitts",
    ),
    (
        "integrated: the first {} and the last {} s depend on what came before and after and are not to be trusted; what lies between is within 2 % of its rms",
        "integriert: die ersten {} und die letzten {} s hängen davon ab, was vorher und nachher war, und sind nicht verlässlich; was dazwischen liegt, stimmt auf 2 % seines Effektivwerts",
    ),
    (
        "{} s are missing at {} s; nothing reaches over the gap",
        "{} s fehlen bei {} s; nichts reicht über die Lücke hinweg",
    ),
    (
        "mode {}, {} Hz, is as steady as something that turns ({}; noise through a mode is at 0): look for a shaft or a pump before it is called a mode",
        "Eigenform {}, {} Hz, ist so stetig wie etwas, das sich dreht ({}; Rauschen durch eine Eigenform liegt bei 0): erst nach einer Welle oder Pumpe suchen, ehe sie Eigenform heißt",
    ),
    (
        "nobody knows the forces in operation: shapes have no scale, their largest point is 1, and modes that nothing excites are not there",
        "die Kräfte im Betrieb kennt niemand: Schwingformen haben keinen Maßstab, ihr größter Punkt ist 1, und Eigenformen, die nichts anregt, fehlen",
    ),
    (
        "only {} stretches of twice the longest lag went into the correlations: dampings scatter much; record longer",
        "nur {} Abschnitte vom Doppelten der längsten Verschiebung gingen in die Korrelationen ein: Dämpfungen streuen stark; länger aufzeichnen",
    ),
    (
        "there are more places that are hit than sensors: each hit is read as an answer to a hit at the sensor, which is the same by reciprocity",
        "es gibt mehr Anschlagstellen als Sensoren: jeder Schlag wird als Antwort auf einen Schlag am Sensor gelesen, was nach der Reziprozität dasselbe ist",
    ),
    (
        "{} over {} speaks against the modes: they miss {} % of its energy",
        "{} über {} spricht gegen die Eigenformen: sie erfassen {} % seiner Energie nicht",
    ),
    (
        "mode {} is {} % complex: its points do not move in phase",
        "Eigenform {} ist zu {} % komplex: ihre Punkte bewegen sich nicht in Phase",
    ),
    (
        "“{}” was kept before something of its runs was put right, or one is gone",
        "„{}“ wurde behalten, bevor etwas an seinen Aufzeichnungen berichtigt wurde oder eine verschwand",
    ),
    // Why a run ended.
    ("the planned length was reached", "die geplante Länge war erreicht"),
    ("all planned takes are made", "alle geplanten Auslösungen sind gemacht"),
    ("stopped by hand", "von Hand angehalten"),
    ("stopped by hand while the link was away", "von Hand angehalten, während die Verbindung fehlte"),
    ("brought in", "hereingeholt"),
    ("another front end was chosen", "ein anderes Frontend wurde gewählt"),
    ("the disk is full; everything up to here is kept", "der Datenträger ist voll; alles bis hierher ist gespeichert"),
    (
        "the database was away longer than memory could hold samples",
        "die Datenbank war länger fort, als der Speicher Werte halten konnte",
    ),
    ("what it was recorded for has ended", "wofür aufgezeichnet wurde, ist zu Ende"),
    (
        "the link to the front end broke and did not come back in time: {}",
        "die Verbindung zum Frontend brach ab und kam nicht rechtzeitig wieder: {}",
    ),
    ("the link to the front end broke: {}", "die Verbindung zum Frontend brach ab: {}"),
    ("the server stopped while recording", "der Server hielt während der Aufzeichnung an"),
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_sentence_is_found_by_its_own_words_and_keeps_what_it_holds() {
        for (english, said) in SENTENCES {
            assert_eq!(english.matches("{}").count(), said.matches("{}").count(), "{english}");
            let some = english.replace("{}", "7.25");
            assert_eq!(german(&some), Some(said.replace("{}", "7,25")), "{english}");
        }
    }

    #[test]
    fn numbers_take_a_comma_and_names_stay() {
        let told = |s: &str| german(s).unwrap();
        assert_eq!(
            told("3 of 900 pulses: too many, at 1.25, 2.5, … s of the stretch"),
            "3 von 900 Impulsen: zu viel, bei 1,25; 2,5; … s des Abschnitts"
        );
        assert_eq!(
            told(
                "tip.2 +z, root.1 +x and 4 more move otherwise than the reference (coherence below 0.5): what is drawn there is only the part that goes with it"
            ),
            "tip.2 +z, root.1 +x und 4 weitere bewegen sich anders als die Referenz (Kohärenz unter 0,5): gezeichnet ist dort nur der Teil, der mit ihr geht"
        );
        assert_eq!(
            told("coherence needs 3 averages or more and there are 2; it is left empty"),
            "Kohärenz braucht mindestens 3 Mittelungen, es sind 2; sie bleibt leer"
        );
        assert_eq!(german("something nobody has said yet"), None);
    }
}
