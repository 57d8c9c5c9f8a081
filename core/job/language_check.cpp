#include "core/job/language_check.hpp"

#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace wexilum {
namespace {

class Check {
public:
    Check(const Controller& controller, const Dialect& dialect, const std::string& file) : c_(controller), d_(dialect), file_(file) {}

    std::vector<Error> run()
    {
        check_words();
        check_axes();
        check_letters();
        check_numbers();
        check_arcs();
        return std::move(errors_);
    }

private:
    void wrong(std::string message, std::string cure)
    {
        errors_.push_back({ErrorKind::value, std::move(message), {file_, 0, 0}, std::move(cure)});
    }

    /// What a word means to the control; nullptr, which is reported, where it does not know it or takes it for something else.
    const WordMeaning* meaning(const std::string& word, Function wanted, const std::string& what)
    {
        const auto found = c_.words.find(normalised_word(word));
        if (found == c_.words.end()) {
            wrong(fmt::format("the dialect writes {} for {}, which the control does not know", word, what),
                  "correct the word, or add it to the controller's \"words\"");
            return nullptr;
        }
        if (found->second.function != wanted) {
            wrong(fmt::format("the dialect writes {} for {}, which means {} to the control", word, what, name_of(found->second.function)),
                  "correct the word in the dialect, or its meaning in the controller");
            return nullptr;
        }
        return &found->second;
    }

    void check_words()
    {
        for (const auto& [function, word] : d_.words) {
            (void)meaning(word, function, std::string(name_of(function)));
        }
        for (const Function needed : {Function::rapid, Function::linear}) {
            if (!d_.word(needed)) {
                wrong(fmt::format("the dialect has no word for {}: the control would go on with the motion before", name_of(needed)),
                      "add it under \"words\"");
            }
        }
        for (const auto& [name, word] : d_.work_offsets) {
            const WordMeaning* means = meaning(word, Function::work_offset, "the offset register " + name);
            if (means != nullptr && means->work_register != name) {
                wrong(fmt::format("the dialect writes {} for the offset register {}, which is the register {} to the control", word, name,
                                  means->work_register),
                      "correct the word, or the register's name");
            }
        }
        for (const auto& [id, word] : d_.mounts) {
            const WordMeaning* means = meaning(word, Function::tool_mount, "the tool mount " + id);
            if (means != nullptr && means->mount != id) {
                wrong(fmt::format("the dialect writes {} for the tool mount {}, which is {} to the control", word, id, means->mount),
                      "correct the word, or the mount's name");
            }
        }
        for (const auto& [id, words] : d_.brakes) {
            for (const auto& [word, function] :
                 {std::pair(words.lock, Function::brake_lock), std::pair(words.release, Function::brake_release)}) {
                const WordMeaning* means = meaning(word, function, fmt::format("{} of {}", name_of(function), id));
                if (means != nullptr && means->joint != id) {
                    wrong(fmt::format("the dialect writes {} for the brake of {}, which is that of {} to the control", word, id,
                                      means->joint),
                          "correct the word, or the joint's name");
                }
            }
        }
        for (const auto& [kind, style] : d_.cycles) {
            const WordMeaning* means = style.native ? meaning(style.word, Function::cycle, "the cycle " + kind) : nullptr;
            if (means != nullptr && means->cycle.motion != (kind == "ream" ? "bore" : kind)) { // a ream moves as a bore does
                wrong(fmt::format("the dialect writes {} for the cycle {}, which the control does as {}", style.word, kind,
                                  means->cycle.motion),
                      "correct the word, or write the cycle as \"moves\"");
            }
        }
        if (d_.plane) {
            (void)meaning(d_.plane->word, Function::tilted_plane, "the tilted plane");
        }
    }

    void check_axes()
    {
        for (const auto& [id, word] : d_.axes) {
            const auto read = c_.axes.find(word.address);
            if (read == c_.axes.end()) {
                wrong(fmt::format("the dialect writes {} with {}, which is not an axis of the control", id, word.address),
                      "correct the letter, or add it to the controller's \"axes\"");
            } else if (read->second != id) {
                wrong(fmt::format("the dialect writes {} with {}, which is {} to the control", id, word.address, read->second),
                      "correct the letter in the dialect, or the joint in the controller");
            }
        }
    }

    void letter(char writes, char reads, const char* what)
    {
        if (writes != reads) {
            wrong(fmt::format("the dialect writes {} with {}, the control reads {}", what, writes, reads),
                  "state the same letter under \"addresses\" of both");
        }
    }

    void check_letters()
    {
        letter(d_.feed, c_.feed, "the feed");
        letter(d_.speed, c_.speed, "the spindle's speed");
        letter(d_.tool, c_.tool, "the tool");
        if (d_.length_by_register) {
            letter(d_.length_register, c_.length_register, "the length register");
        }
        if (d_.word(Function::dwell)) {
            letter(d_.dwell, c_.dwell, "a dwell");
            if (d_.dwell_in_milliseconds != c_.dwell_in_milliseconds) {
                wrong(fmt::format("the dialect writes a dwell in {}, the control reads {}",
                                  d_.dwell_in_milliseconds ? "milliseconds" : "seconds",
                                  c_.dwell_in_milliseconds ? "milliseconds" : "seconds"),
                      "state the same \"dwell_unit\" under \"addresses\" of both");
            }
        }
        if (std::any_of(d_.cycles.begin(), d_.cycles.end(), [](const auto& cycle) { return cycle.second.native; })) {
            letter(d_.cycle_clearance, c_.cycle_clearance, "a cycle's clearance");
            letter(d_.cycle_step, c_.cycle_step, "a cycle's step");
            letter(d_.cycle_dwell, c_.cycle_dwell, "a cycle's dwell");
        }
        if (d_.word(Function::loop_begin)) {
            letter(d_.loop_count, c_.loop_count, "a loop's count");
        }
        if (d_.word(Function::subprogram_call)) {
            letter(d_.subprogram, c_.subprogram, "a subprogram's number");
        }
        if (d_.word(Function::coordinate_rotation)) {
            letter(d_.rotation, c_.rotation, "the angle of a rotation");
        }
        if (d_.sequence) {
            letter(d_.sequence_letter, c_.sequence_number, "sequence numbers");
        }
        if (d_.comment_open != c_.comment_open || d_.comment_close != c_.comment_close) {
            wrong(fmt::format("the dialect writes remarks between {} and {}, the control reads them between {} and {}", d_.comment_open,
                              d_.comment_close, c_.comment_open, c_.comment_close),
                  "state the same \"comment\" in both");
        }
        if (d_.inches && !d_.word(Function::inches)) {
            const WordMeaning* on = c_.power_on_meaning(Group::units);
            if (on == nullptr || on->function != Function::inches) {
                wrong("the dialect writes inches and has no word for them, and the control does not begin with them",
                      "add \"inches\" under \"words\"");
            }
        }
    }

    /// A number that loses its point must not be read as so many increments.
    void check_numbers()
    {
        struct Kind {
            Quantity quantity;
            double increment;
            const char* what;
        };
        if (!c_.bare_number_is_increments) {
            return;
        }
        for (const auto& [quantity, increment, what] :
             {Kind{Quantity::length, c_.length_increment, "a length"}, Kind{Quantity::angle, c_.angle_increment, "an angle"},
              Kind{Quantity::feed, c_.feed_increment, "a feed"}, Kind{Quantity::inverse_time, c_.inverse_time_increment, "an inverse time"},
              Kind{Quantity::revolution_feed, c_.revolution_feed_increment, "a feed per revolution"},
              Kind{Quantity::speed, c_.speed_increment, "a speed"},
              Kind{Quantity::time, c_.dwell_in_milliseconds ? 1 : c_.time_increment, "a time"}}) {
            if (!d_.style(quantity).point_always && increment != 1) {
                wrong(fmt::format("the dialect may write {} without a point, and the control would read 5 as {:g}", what, 5 * increment),
                      "write \"point\": \"always\" in its number style");
            }
        }
    }

    void check_arcs()
    {
        if (!d_.arcs) {
            return;
        }
        if (!c_.has_arcs) {
            wrong("the dialect writes arcs, and the control has none", "take \"arcs\" out of the dialect, or add them to the controller");
        } else if (d_.arc_form == ArcForm::centre ? !c_.arc_centre : !c_.arc_radius) {
            wrong(fmt::format("the dialect writes arcs by their {0}, and the control takes no {0}",
                              d_.arc_form == ArcForm::centre ? "centre" : "radius"),
                  "write the other \"form\" under \"arcs\", or correct the controller's \"forms\"");
        } else if (d_.helix && !c_.arc_helix) {
            wrong("the dialect writes helices as arcs, and the control takes none", "write \"helix\": false under \"arcs\"");
        }
        if (c_.has_arcs && d_.arc_form == ArcForm::centre) {
            for (std::size_t k = 0; k < 3; ++k) {
                letter(d_.centre[k], c_.centre[k], "an arc's centre");
            }
        } else if (c_.has_arcs) {
            letter(d_.radius, c_.radius, "an arc's radius");
        }
    }

    const Controller& c_;
    const Dialect& d_;
    const std::string& file_;
    std::vector<Error> errors_;
};

} // namespace

std::vector<Error> language_errors(const Controller& controller, const Dialect& dialect, const std::string& dialect_file)
{
    return Check(controller, dialect, dialect_file).run();
}

std::string why_no_arcs(const Controller& controller, const Dialect& dialect)
{
    if (!controller.has_arcs) {
        return "the control has no arcs";
    }
    if (!dialect.arcs) {
        return "the dialect writes none (it has no \"arcs\")";
    }
    for (const Function function : {Function::arc_clockwise, Function::arc_counter_clockwise}) {
        if (!dialect.word(function)) {
            return fmt::format("the dialect has no word for {}", name_of(function));
        }
    }
    return {};
}

} // namespace wexilum
