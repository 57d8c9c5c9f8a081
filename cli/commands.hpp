// One function a subcommand: parse nothing, compute nothing, call the core and print.
#pragma once

#include <string>
#include <vector>

namespace wexilum::cli {

inline constexpr int exit_fine = 0;
inline constexpr int exit_findings = 1;
inline constexpr int exit_usage = 2;
inline constexpr int exit_stopped = 130; ///< by Ctrl+C, as a shell has it

struct JobOptions {
    std::string project;
    std::string job;
    std::string out;               ///< post: folder of the code; empty: PROJECT/out
    std::vector<std::string> code; ///< replay: files; empty: posted afresh in memory
    bool from_unknown = false;
    int threads = 1;   ///< post: 1 or 2
    std::string date;  ///< post: YYYY-MM-DD
    std::string draft; ///< post: where the program goes, marked, if it has errors; empty: nowhere
    bool time = false; ///< post: say how long the program takes
    bool json = false;
    bool progress = false; ///< shows progress also where standard error is not a terminal
};
int post_command(const JobOptions& options);
int replay_command(const JobOptions& options);
int contact_command(const JobOptions& options);
int links_command(const JobOptions& options);

/// Programs read by themselves.
struct CodeOptions {
    std::string machine;
    std::string controller;
    std::string setup; ///< empty: none
    std::vector<std::string> code;
    bool from_unknown = false;
    bool json = false;
    bool progress = false;
};
int read_command(const CodeOptions& options);
int contact_of_code_command(const CodeOptions& options);

int describe_command();
int check_command(const std::vector<std::string>& files);
int convert_command(const std::string& from, const std::string& to);

struct MachineOptions {
    std::string machine;
    std::string table;
    double tool_length = 0;
    std::string free; ///< joint that the poses leave free; empty: none
    bool all = false;
    bool json = false;
};
int solve_command(const MachineOptions& options);
int pose_command(const MachineOptions& options);

struct CalibrateOptions {
    MachineOptions given; ///< machine, table, tool length, json
    std::string out;      ///< overlay file to write; empty: none
    std::string name;     ///< of the overlay
};
int calibrate_command(const CalibrateOptions& options);

} // namespace wexilum::cli
