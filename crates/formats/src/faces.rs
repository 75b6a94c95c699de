//! Fonts of reports and pictures, which are part of the program.

/// Sofia Sans, its heavier and its slanted cut, and JetBrains Mono for digits.
pub const FACES: [&[u8]; 4] = [
    include_bytes!("../fonts/SofiaSans-Regular.ttf"),
    include_bytes!("../fonts/SofiaSans-SemiBold.ttf"),
    include_bytes!("../fonts/SofiaSans-Italic.ttf"),
    include_bytes!("../fonts/JetBrainsMono-Regular.ttf"),
];
