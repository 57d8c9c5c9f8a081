#include "cli/commands.hpp"

#include "core/base/guarded.hpp"

#include <CLI/CLI.hpp>
#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <iostream>
#include <system_error>

namespace {

using namespace wexilum::cli;

/// Commands of a machine and a table of numbers.
class TableCommands {
public:
    explicit TableCommands(CLI::App& app);
    /// Precondition: one of them has been asked for.
    [[nodiscard]] int run() const;

private:
    CLI::App* solve_;
    CLI::App* pose_;
    CLI::App* calibrate_;
    MachineOptions solve_given_;
    MachineOptions pose_given_;
    CalibrateOptions calibrate_given_;
};

TableCommands::TableCommands(CLI::App& app)
{
    const CLI::Validator length(
        [](const std::string& text) {
            double value = 0;
            const bool fine = CLI::detail::lexical_cast(text, value) && value >= -1e6 && value <= 1e6; // no NaN either
            return fine ? std::string() : fmt::format("{} is not a length from -1000000 to 1000000 mm", text);
        },
        "mm");

    solve_ = app.add_subcommand("solve", "From tool poses to axis positions");
    solve_->add_option("--machine", solve_given_.machine, "Machine file")->required();
    solve_
        ->add_option("--poses", solve_given_.table,
                     "CSV with the header x,y,z,i,j,k: mm and unit vectors, in the part's frame at the work mount")
        ->required();
    solve_->add_option("--tool-length", solve_given_.tool_length, "Gauge length in mm")->check(length);
    solve_->add_option("--free", solve_given_.free,
                       "A rotary joint beyond those that the poses settle: its readings are chosen for the whole table, so that the "
                       "slowest joints take the least time (default: none)");
    solve_->add_flag("--all", solve_given_.all, "Every branch and turn within travel as well");
    solve_->add_flag("--json", solve_given_.json, "Print one JSON object");

    pose_ = app.add_subcommand("pose", "From axis positions to tool poses");
    pose_->add_option("--machine", pose_given_.machine, "Machine file")->required();
    pose_->add_option("--axes", pose_given_.table, "CSV whose header names the joints: mm and degrees")->required();
    pose_->add_option("--tool-length", pose_given_.tool_length, "Gauge length in mm")->check(length);
    pose_->add_flag("--json", pose_given_.json, "Print one JSON object");

    calibrate_ = app.add_subcommand("calibrate", "From measured tip positions to zeros, axes and gauge point, as an overlay");
    calibrate_->add_option("--machine", calibrate_given_.given.machine, "Machine file")->required();
    calibrate_
        ->add_option(
            "--measured", calibrate_given_.given.table,
            "CSV whose header names every joint and x,y,z (the measured tip in the work mount's frame), and length where it varies: "
            "mm and degrees")
        ->required();
    calibrate_->add_option("--tool-length", calibrate_given_.given.tool_length, "Gauge length in mm where the table has none")
        ->check(length);
    calibrate_->add_option("--out", calibrate_given_.out, "Overlay file to write (default: none)");
    calibrate_->add_option("--name", calibrate_given_.name, "Name in the overlay (default: the table's)");
    calibrate_->add_flag("--json", calibrate_given_.given.json, "Print one JSON object");
}

int TableCommands::run() const
{
    if (*calibrate_) {
        return calibrate_command(calibrate_given_);
    }
    return *solve_ ? solve_command(solve_given_) : pose_command(pose_given_);
}

int run(int argc, char** argv)
{
    CLI::App app{"wexilum-cli: posts toolpaths and proves the code, without a window", "wexilum-cli"};
    app.set_version_flag("--version", "wexilum-cli " WEXILUM_VERSION);
    app.require_subcommand(1);
    app.footer("Exit: 0 fine, 1 findings of error severity or a budget broken, 2 bad usage, unreadable input or nowhere to write to, 130 "
               "stopped.");

    JobOptions post_options;
    auto* post = app.add_subcommand("post", "Turn a job's toolpaths into code");
    post->add_option("--project", post_options.project, "Folder of the project")->required();
    post->add_option("--job", post_options.job, "Name of the job")->required();
    post->add_option("--out", post_options.out, "Folder for the code (default: PROJECT/out)");
    post->add_option("--threads", post_options.threads, "1, or 2 to read and write beside the rest (default: 1)")->check(CLI::Range(1, 2));
    post->add_option("--date", post_options.date, "Day of the run as YYYY-MM-DD, for programs that print it (default: none)");
    post->add_option("--draft", post_options.draft,
                     "File for a program with errors, marked on its first line as not to be run (default: none is written)");
    post->add_flag("--time", post_options.time, "Say how long the program takes, by operation, tool and cause (with --json always)");
    post->add_flag("--json", post_options.json, "Print one JSON object");
    post->add_flag("--progress", post_options.progress, "Show progress also where standard error is not a terminal");

    JobOptions replay_options;
    auto* replay = app.add_subcommand("replay", "Read code by the controller's definition and hold it against the toolpath");
    replay->add_option("--project", replay_options.project, "Folder of the project")->required();
    replay->add_option("--job", replay_options.job, "Name of the job")->required();
    replay->add_option("--code", replay_options.code, "Code files (default: the job is posted afresh in memory)");
    replay->add_option("--threads", replay_options.threads, "1, or 2 to read beside the rest (default: 1)")->check(CLI::Range(1, 2));
    replay->add_flag("--from-unknown", replay_options.from_unknown, "Nothing is known to be in force at the start");
    replay->add_flag("--json", replay_options.json, "Print one JSON object");
    replay->add_flag("--progress", replay_options.progress, "Show progress also where standard error is not a terminal");

    CodeOptions read_options;
    auto* read = app.add_subcommand("read", "Read programs by themselves: what they do on a machine, without a job");
    JobOptions contact_options;
    CodeOptions contact_code;
    auto* contact = app.add_subcommand("contact", "Report where machine, tool, holder and stock meet along a job's code, or programs");
    auto* contact_project = contact->add_option("--project", contact_options.project, "Folder of the project");
    auto* contact_job = contact->add_option("--job", contact_options.job, "Name of the job")->needs(contact_project);
    contact_project->needs(contact_job);
    for (const auto& [command, to] : {std::pair(read, &read_options), std::pair(contact, &contact_code)}) {
        const bool alone = command == read;
        auto* machine = command->add_option("--machine", to->machine, "Machine file")->required(alone);
        auto* controller = command->add_option("--controller", to->controller, "Controller file")->required(alone);
        auto* setup = command->add_option("--setup", to->setup, "Setup file (default: offsets and tool lengths count as 0)");
        auto* code = command->add_option("code", to->code, "Programs, one after the other")->required(alone);
        setup->needs(machine);
        machine->needs(controller)->needs(code);
        controller->needs(machine);
        code->needs(machine);
        if (!alone) {
            machine->excludes(contact_project);
        }
        command->add_flag("--json", to->json, "Print one JSON object");
        command->add_flag("--progress", to->progress, "Show progress also where standard error is not a terminal");
    }
    read->add_flag("--from-unknown", read_options.from_unknown, "Nothing is known to be in force at the start");

    JobOptions links_options;
    auto* links = app.add_subcommand("links", "Print the partial moves by which the tool comes to a job's operations and leaves them");
    links->add_option("--project", links_options.project, "Folder of the project")->required();
    links->add_option("--job", links_options.job, "Name of the job")->required();

    std::vector<std::string> files;
    auto* check = app.add_subcommand("check", "Read files of any format and say what is wrong with them");
    check
        ->add_option("files", files, "machine, controller, dialect, setup, job, post or project files; toolpaths (.cl, .wtp); rules (.lua)")
        ->required();

    std::string convert_from;
    std::string convert_to;
    auto* convert = app.add_subcommand("convert", "Write a toolpath in another format: .cl, .wtp, or .csv (poses alone)");
    convert->add_option("from", convert_from, "Toolpath to read")->required();
    convert->add_option("to", convert_to, "File to write, which must not be there yet")->required();

    auto* describe = app.add_subcommand("describe", "Print the reference of what rules can use, in Markdown");

    TableCommands tables(app);

    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& problem) {
        return app.exit(problem) == 0 ? exit_fine : exit_usage;
    }
    if (*post) {
        return post_command(post_options);
    }
    if (*replay) {
        return replay_command(replay_options);
    }
    if (*read) {
        return read_command(read_options);
    }
    if (*contact) {
        if (!contact_code.machine.empty()) {
            return contact_of_code_command(contact_code);
        }
        if (contact_options.project.empty()) {
            std::fputs("contact needs a job (--project and --job) or programs (--machine, --controller and their files)\n", stderr);
            return exit_usage;
        }
        contact_options.json = contact_code.json;
        contact_options.progress = contact_code.progress;
        return contact_command(contact_options);
    }
    if (*links) {
        return links_command(links_options);
    }
    if (*describe) {
        return describe_command();
    }
    if (*convert) {
        return convert_command(convert_from, convert_to);
    }
    if (*check) {
        return check_command(files);
    }
    return tables.run();
}

/// What is closed of the three standard files must not become a file of the work.
void keep_standard_files()
{
    for (const int standard : {STDIN_FILENO, STDOUT_FILENO, STDERR_FILENO}) {
        if (fcntl(standard, F_GETFD) < 0) {
            (void)open("/dev/null", standard == STDIN_FILENO ? O_WRONLY : O_RDONLY); // reading and writing fail, as before
        }
    }
}

int unwritten(int problem)
{
    std::fprintf(stderr, "wexilum-cli: the output can't be written: %s; nothing else is wrong\n", std::strerror(problem));
    return exit_usage;
}

} // namespace

int main(int argc, char** argv)
{
    keep_standard_files();
    std::signal(SIGPIPE, SIG_IGN); // reported as an error of writing
    std::signal(SIGXFSZ, SIG_IGN);
    int code = exit_usage;
    try {
        code = run(argc, argv);
    } catch (const std::system_error& problem) {
        if (std::ferror(stdout) == 0 && std::ferror(stderr) == 0) {
            std::fprintf(stderr, "wexilum-cli: %s\n", wexilum::fault_of(problem).text().c_str());
            return exit_usage;
        }
        return unwritten(problem.code().value());
    } catch (const std::exception& problem) {
        std::fprintf(stderr, "wexilum-cli: %s\n", wexilum::fault_of(problem).text().c_str());
        return exit_usage;
    }
    std::cout.flush();
    if (std::fflush(stdout) != 0 || std::ferror(stdout) != 0 || !std::cout) {
        return unwritten(errno);
    }
    return code;
}
