//! Names under which files are saved.

use echo_server::api::jobs::saved_as;

#[test]
fn names_of_files_break_no_header() {
    let told = saved_as("attachment", "Fähre \"quay\".zip");
    assert_eq!(told, "attachment; filename=\"F_hre _quay_.zip\"; filename*=UTF-8''F%C3%A4hre%20%22quay%22.zip");
}
