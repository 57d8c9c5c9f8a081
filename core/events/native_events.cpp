#include "core/events/native_events.hpp"

#include "core/base/plain_text.hpp"
#include "core/base/units.hpp"

#include <fmt/format.h>

namespace wexilum {
namespace {

using record::CoolantState;
using record::SpindleState;

Function word_for(CoolantState state)
{
    switch (state) {
    case CoolantState::off: return Function::coolant_off;
    case CoolantState::flood: return Function::coolant_flood;
    case CoolantState::mist: return Function::coolant_mist;
    case CoolantState::through: return Function::coolant_through;
    case CoolantState::air: return Function::coolant_air;
    }
    return Function::coolant_off;
}

} // namespace

NativeEvents::NativeEvents(const Assembly& assembly, const Outline& outline, PlanReader& plan, FindingList& findings,
                           const std::vector<std::string>& files, CodeSink& sink, bool own_thread, const RunWatch* watch)
    : assembly_(assembly), in_work_(assembly.setup.part), outline_(outline), plan_(plan), findings_(findings), files_(files),
      joint_names_(assembly.joint_names()), emitter_(assembly.dialect, assembly.controller, joint_names_, sink, own_thread),
      solvers_(assembly), motion_(assembly, emitter_, findings, files), cycles_(assembly, emitter_, motion_),
      subprograms_(assembly, emitter_, motion_, findings)
{
    if (!assembly.rulebook.empty()) {
        RuleLimits limits;
        limits.watch = watch;
        rules_.emplace(assembly.rulebook, assembly.options, static_cast<RuleHost&>(*this), limits);
        motion_.set_retract([this] { leave_work(); });
    }
}

void NativeEvents::error(const char* kind, std::string message, std::string cure)
{
    Finding finding = Finding::make(Severity::error, kind, std::move(message), std::move(cure));
    finding.source = place_of(files_, source_);
    findings_.add(std::move(finding), "", index_);
}

void NativeEvents::finish()
{
    end_subprogram();
    emitter_.set_source(no_source);
    end_program();
    subprograms_.write();
    if (outline_.motions == 0) {
        findings_.add(Finding::make(Severity::error, "nothing-moves", "the job's toolpaths have no motion: its program would move nothing",
                                    "give the job an operation whose toolpath moves"));
    } else if (!motion_.moved() && !findings_.has_errors()) {
        findings_.add(Finding::make(Severity::error, "nothing-moves", "the toolpaths have motion, and the program has none of it",
                                    "see the rules that take its events: a motion that no event:native() does is left out"));
    }
    const std::size_t most = assembly_.controller.line_most;
    emitter_.finish();
    const LineWriter& written = emitter_.written();
    if (most > 0 && written.longest() > most) {
        Finding finding = Finding::make(Severity::error, "line-too-long",
                                        fmt::format("a line has {} characters, the control takes {}", written.longest(), most),
                                        "shorten comments, write fewer decimals or no blanks");
        finding.code.line = written.longest_line();
        findings_.add(std::move(finding));
    }
    for (const WordEmitter::Unplain& met : emitter_.unplain()) {
        Finding finding =
            Finding::make(Severity::error, "text-character",
                          fmt::format("a text for the program has the character {}, which no control reads", code_of(met.character)),
                          "take it out of the text: of the section, the rule or the toolpath that brings it");
        finding.source = place_of(files_, met.source);
        finding.code.line = met.line;
        findings_.add(std::move(finding), "", met.line);
    }
}

/// The work of an operation is done, as far as its subprogram goes.
void NativeEvents::end_subprogram()
{
    if (subprograms_.begun()) [[unlikely]] {
        cycles_.interrupt();
        subprograms_.end();
    }
}

void NativeEvents::handle(const Record& record)
{
    const auto* change = std::get_if<record::ToolChange>(&record.data);
    const bool in_spindle = change != nullptr && tool_ != nullptr && tool_->number == change->number;
    if ((change != nullptr && !in_spindle) || std::holds_alternative<record::Operation>(record.data) ||
        std::holds_alternative<record::PostureChange>(record.data)) {
        end_subprogram();
    }
    source_ = record.source;
    if (probe_ != nullptr) [[unlikely]] {
        note_event(event_name(record.data.index()), &record);
    }
    motion_.log().set_source(source_, index_);
    emitter_.set_source(source_);
    if (end_pose(record.data) != nullptr && !std::holds_alternative<record::From>(record.data)) {
        next_choice();
    }
    const auto kind = event_of(record.data.index());
    if (const auto* operation = std::get_if<record::Operation>(&record.data)) {
        begin_operation(*operation);
    }
    if (probe_ != nullptr && probe_->asked == index_) [[unlikely]] {
        answer(kind, record);
        return;
    }
    if (in_spindle) {
        ++index_;
        return;
    }
    if (kind && offered(*kind)) [[unlikely]] {
        fill(*kind, record);
        hand_over(*kind, &record);
    } else {
        happen(record);
    }
    if (operations_ > 0 && settings().subprogram != 0 && !subprograms_.begun() && end_pose(record.data) != nullptr) [[unlikely]] {
        subprograms_.begin(operations_ - 1);
    }
    ++index_;
}

void NativeEvents::happen(const Record& record)
{
    const bool before = std::exchange(happening_, true);
    std::visit([&](const auto& r) { on(r); }, record.data);
    happening_ = before;
}

void NativeEvents::set_probe(EventProbe* probe)
{
    probe_ = probe;
    emitter_.set_probe(&probe->words);
    motion_.note_exact(&probe->words.exact);
    subprograms_.set_exact(&probe->words.exact);
    cycles_.set_told([this](const char* how) { note_rule(probe_->rule + ", " + how); });
}

void NativeEvents::note_event(const char* event, const Record* record)
{
    if (probe_ == nullptr || probe_->words.seen) {
        return;
    }
    probe_->event = event;
    probe_->rule = std::string("native ") + event;
    probe_->record = record != nullptr ? std::optional(index_) : std::nullopt;
    probe_->source = record != nullptr ? record->source : no_source;
    const Pose* pose = record != nullptr ? end_pose(record->data) : nullptr;
    probe_->pose = pose != nullptr ? std::optional(*pose) : std::nullopt;
    probe_->stand = motion_.place().now();
    probe_->tool_length = motion_.place().tool_length;
    probe_->posture = motion_.place().posture();
}

void NativeEvents::note_rule(const std::string& rule)
{
    if (probe_ != nullptr && !probe_->words.seen) {
        probe_->rule = rule;
    }
}

const OperationSettings& NativeEvents::settings() const { return settings_of(assembly_.job, operations_); }

void NativeEvents::say(Function function)
{
    if (auto word = emitter_.function(function)) {
        emitter_.emit({StatementKind::state, {*word}});
    } else {
        error("word-missing", fmt::format("the dialect has no word for {}", name_of(function)), "add it under \"words\" in the dialect");
    }
}

// --- state ----------------------------------------------------------------------------------------------------------

void NativeEvents::on(const record::ProgramName&)
{
    // The job names the program; the toolpath's own name is for its reader.
}

/// Whatever a rule makes of the event.
void NativeEvents::begin_operation(const record::Operation& r)
{
    cycles_.end();
    ++operations_;
    operation_ = r.id + " " + r.name;
    operation_id_ = r.id;
}

void NativeEvents::on(const record::Operation&)
{
    emitter_.forget_after("operation");
    section("operation", std::nullopt);
    const std::uint32_t bare = motion_.place().posture().mount;
    if (operations_ == 1 && (assembly_.postures.empty() || assembly_.postures.front().posture.mount == bare)) {
        take_mount(assembly_.machine.mounts[bare]); // whatever the control had before
    }
}

void NativeEvents::on(const record::ToolChange& r)
{
    cycles_.interrupt();
    tool_ = assembly_.setup.find_tool(r.number);
    if (calls_ < outline_.tool_calls.size()) {
        ++calls_;
    }
    if (tool_ == nullptr || !tool_->length) {
        tool_ = nullptr;
        return; // the outline has said so; nothing can be moved without a length
    }
    pose_.reset();
    motion_.frames().leave(); // the next tool has another length
    section("tool-change", std::nullopt);
    if (assembly_.controller.tool_change_stops_spindle) {
        spindle_ = SpindleState::off;
    }
    emitter_.forget(Role::length);
    emitter_.forget(Role::length_register);
    emitter_.forget_after("tool-change");
    motion_.set_tool(*tool_);
}

void NativeEvents::on(const record::Feed& r)
{
    feed_.mode = r.mode;
    feed_.value = r.value;
}

void NativeEvents::on(const record::Spindle& r)
{
    wanted_spindle_ = r;
    feed_.spindle_rpm = r.state == SpindleState::off ? 0 : r.speed_rpm;
    if (r.state == SpindleState::off && spindle_ != SpindleState::off) {
        say(Function::spindle_off);
        spindle_ = SpindleState::off;
    }
}

void NativeEvents::on(const record::Coolant& r)
{
    wanted_coolant_ = r.state;
    if (r.state == CoolantState::off && coolant_ != CoolantState::off) {
        say(Function::coolant_off);
        coolant_ = CoolantState::off;
    }
}

FrameKind NativeEvents::frame_for(const OperationOutline* operation)
{
    const bool turns = operation != nullptr && operation->turns_in_cuts;
    const FrameKind kind = assembly_.frame_of(operations_ > 0 ? operations_ - 1 : 0, turns);
    if (kind == FrameKind::tilted_plane && turns) {
        motion_.log().report(Severity::error, "plane-turns", operation->id,
                             fmt::format("the operation {} turns the tool in its cuts, a tilted plane stands still", operation->id),
                             "write it with \"frame\": \"tool-centre-point\" or \"joints\"", 1, SIZE_MAX);
        return FrameKind::joints;
    }
    return kind;
}

void NativeEvents::ready_to_move()
{
    const OperationOutline* here =
        operations_ > 0 && operations_ <= outline_.operations.size() ? &outline_.operations[operations_ - 1] : nullptr;
    const std::optional<Wrap>* wrap = here != nullptr ? &assembly_.job.operations[operations_ - 1].arrangement.wrap : nullptr;
    motion_.set_operation({here, &assembly_.links_of(operations_), wrap != nullptr && *wrap ? &**wrap : nullptr});
    motion_.frames().want(frame_for(here));
    motion_.frames().restate_base();
    const bool turning = wanted_spindle_.state != SpindleState::off;
    if (turning && assembly_.setup.spindle == Actor::program &&
        (spindle_ != wanted_spindle_.state || spindle_speed_ != wanted_spindle_.speed_rpm)) {
        const Gearing& gearing = assembly_.machine.mounts[motion_.place().posture().mount].gearing;
        if (gearing.most_speed > 0 && wanted_spindle_.speed_rpm > gearing.most_speed) {
            motion_.log().report(Severity::error, "too-fast", "",
                                 fmt::format("the tool is to turn at {:g} rpm, the {} takes {:g}", wanted_spindle_.speed_rpm,
                                             assembly_.machine.mounts[motion_.place().posture().mount].name, gearing.most_speed),
                                 "lower the speed, and the feed with it", wanted_spindle_.speed_rpm / gearing.most_speed);
        }
        Statement statement(StatementKind::state);
        statement.slots.push_back(motion_.place().frame.slot(Role::speed, Quantity::speed, wanted_spindle_.speed_rpm / gearing.ratio));
        const bool clockwise = (wanted_spindle_.state == SpindleState::clockwise) != gearing.reversed;
        if (auto word = emitter_.function(clockwise ? Function::spindle_clockwise : Function::spindle_counter_clockwise)) {
            statement.slots.push_back(*word);
        }
        emitter_.emit(statement);
        spindle_ = wanted_spindle_.state;
        spindle_speed_ = wanted_spindle_.speed_rpm;
    }
    if (const std::string refused = coolant_refused(assembly_.machine.mounts[motion_.place().posture().mount], name_of(wanted_coolant_));
        !refused.empty() && wanted_coolant_ != coolant_) {
        motion_.log().report(Severity::error, "coolant-refused", "", refused, "let the toolpath ask for another coolant, or for none", 1,
                             SIZE_MAX);
    }
    if (wanted_coolant_ != coolant_ && assembly_.setup.coolant == Actor::program) {
        say(word_for(wanted_coolant_));
        coolant_ = wanted_coolant_;
    }
}

void NativeEvents::on(const record::Dwell& r)
{
    double seconds = r.amount;
    if (r.revolutions) {
        if (feed_.spindle_rpm <= 0) {
            error("dwell-without-spindle", "a dwell in revolutions while the spindle stands", "state SPINDL before it, or give seconds");
            return;
        }
        seconds = r.amount * 60 / feed_.spindle_rpm;
    }
    dwell(seconds);
}

void NativeEvents::on(const record::InsertedText& r)
{
    const TextEffect effect = write_line(r.text);
    // What it turns on or off by hand stays so until the path says otherwise; everything else is stated again.
    if (effect.has(Group::coolant)) {
        wanted_coolant_ = coolant_;
    }
    if (effect.has(Group::spindle)) {
        wanted_spindle_.state = spindle_;
    }
    motion_.lost_place();
}

// --- motion ---------------------------------------------------------------------------------------------------------

void NativeEvents::next_choice()
{
    choice_ = std::exchange(kept_next_, false) ? &kept_ : &plan_.next();
    if (probe_ != nullptr && !probe_->words.seen) [[unlikely]] {
        probe_->planned = *choice_;
    }
    if (choice_->entry == Planned::Entry::lost) {
        kept_ = *choice_;
        kept_.turns = planned_; // an error has been found; the run goes on to find the others
        choice_ = &kept_;
    }
}

void NativeEvents::on(const record::Rapid& r)
{
    cycles_.interrupt();
    const Planned& planned = *choice_;
    pose_ = r.to;
    pose_in_work_.reset();
    planned_ = planned.turns;
    if (tool_ == nullptr) {
        return;
    }
    ready_to_move();
    motion_.rapid(in_work(r.to), planned.turns);
}

template <typename Curve>
void NativeEvents::cut(const Pose& to, const Curve* curve)
{
    cycles_.interrupt();
    const Planned& planned = *choice_;
    if (tool_ != nullptr) {
        ready_to_move();
        if (pose_ && !motion_.place().positioned) { // text has moved the machine within the cut: it goes on where it broke off
            motion_.rapid(in_work(*pose_), planned_);
        }
        if (pose_ && motion_.place().positioned) {
            if (curve != nullptr) {
                cut_piece(arc_piece(assembly_.setup.part, *pose_, *curve), planned);
            } else {
                const Pose end = in_work(to);
                cut_piece({pose_in_work_ ? *pose_in_work_ : in_work(*pose_), end, std::nullopt}, planned);
                pose_ = to;
                pose_in_work_ = end;
                planned_ = planned.turns;
                return;
            }
        } else {
            // The path does not say that this place may be reached in rapid.
            const bool feeds = feed_.stated();
            if (!feeds) {
                error("feed-missing", "a cut without a feed", "state FEDRAT before it, or RAPID if the tool may go there in rapid");
            }
            motion_.rapid(in_work(to), planned.turns, feeds ? &feed_ : nullptr);
        }
    }
    pose_ = to;
    pose_in_work_.reset();
    planned_ = planned.turns;
}

void NativeEvents::cut_piece(const PathPiece& piece, const Planned& planned)
{
    if (planned.entry == Planned::Entry::pole) {
        const Vec3& axis = motion_.place().solver().pole_axis();
        Pose pole = piece.at(planned.s);
        pole.axis = planned.opposite ? Vec3(-axis) : axis;
        const auto [before, after] = split_at(piece, planned.s, pole);
        if (planned.s > 0) {
            motion_.feed(before, {planned.branch_before, planned_, planned.arrive}, feed_);
        }
        turn_at_pole(pole, planned.arrive, planned.depart, planned.s > 0);
        motion_.feed(after, {planned.branch, planned.depart, planned.turns}, feed_);
        return;
    }
    Turns from = planned_;
    if (planned.entry == Planned::Entry::reorient) {
        reorient(piece.from, planned.depart);
        from = planned.depart;
    }
    motion_.feed(piece, {planned.branch, from, planned.turns}, feed_);
}

void NativeEvents::turn_at_pole(const Pose& pole, const Turns& arrive, const Turns& depart, bool inside)
{
    const double turn = std::abs(depart[0] - arrive[0]) + std::abs(depart[1] - arrive[1]);
    if (turn < 1e-9) {
        return;
    }
    const std::string& joint = assembly_.machine.joints[motion_.place().solver().rotary()[0].value].id;
    const double lift = settings().pole_lift;
    if (lift > 0) {
        const Pose up{pole.tip + pole.axis * lift, pole.axis};
        std::vector<std::pair<Pose, bool>> way{{up, false}, {pole, false}};
        if (inside) {
            way.insert(way.begin(), {pole, false});
        }
        motion_.log().report(Severity::remark, "pole-turn", joint,
                             fmt::format("at the pole the tool is lifted {:.3f} mm, {} turns {:.3f} deg, and the tool comes back", lift,
                                         joint, to_deg(turn)),
                             "nothing has to be done; a lean in the operation's \"pole\" would avoid the turn", turn);
        note_excursion(way);
        motion_.feed({pole, up, std::nullopt}, {0, arrive, arrive}, feed_);
        motion_.turn_standing(up, arrive, depart, feed_);
        motion_.feed({up, pole, std::nullopt}, {0, depart, depart}, feed_);
        return;
    }
    motion_.log().report(Severity::remark, "pole-turn", joint,
                         fmt::format("at the pole the tool stands while {} turns {:.3f} deg", joint, to_deg(turn)),
                         "if the tool must not stand on the work, give the operation's \"pole\" a \"lift\" or a \"lean\"", turn);
    motion_.turn_standing(pole, arrive, depart, feed_);
}

void NativeEvents::note_excursion(const std::vector<std::pair<Pose, bool>>& rapid_or_feed)
{
    for (const auto& [pose, rapid] : rapid_or_feed) {
        const Pose in_part = transformed(assembly_.setup.part.inverse(), pose);
        excurse({rapid ? RecordData(record::Rapid{in_part}) : RecordData(record::Linear{in_part}), source_}, index_);
    }
}

void NativeEvents::excurse(Record inserted, std::size_t before)
{
    if (excursions_.empty() || excursions_.back().record != before) {
        excursions_.push_back({before, {}});
    }
    excursions_.back().inserted.push_back(std::move(inserted));
}

void NativeEvents::reorient(const Pose& pose, const Turns& depart)
{
    const double clearance = settings().reorient_clearance.value_or(0);
    const Pose up{pose.tip + pose.axis * clearance, pose.axis};
    const double turn = std::abs(depart[0] - planned_[0]) + std::abs(depart[1] - planned_[1]);
    motion_.log().report(
        Severity::remark, "reoriented", "",
        fmt::format("the tool is retracted and comes back with its rotary joints turned by {:.3f} deg, because travel would end",
                    to_deg(turn)),
        "nothing has to be done; the place shows on the work if the machine does not come back exactly", turn, 0);
    note_excursion({{up, false}, {up, true}, {pose, false}});
    motion_.feed({pose, up, std::nullopt}, {0, planned_, planned_}, feed_);
    motion_.rapid(up, depart);
    motion_.feed({up, pose, std::nullopt}, {0, depart, depart}, feed_);
}

void NativeEvents::on(const record::CycleStart& r)
{
    if (auto status = cycles_.start(r); !status) {
        error("cycle-unknown", status.error().message, status.error().cure);
    }
}

void NativeEvents::on(const record::CyclePoint& r)
{
    const Planned& planned = *choice_;
    pose_ = r.at;
    pose_in_work_.reset();
    planned_ = planned.turns;
    if (tool_ == nullptr || !cycles_.active()) {
        return;
    }
    ready_to_move();
    cycles_.point(in_work(r.at), planned.turns, feed_);
    pose_->tip += r.at.axis * cycles_.retreat();
}

} // namespace wexilum
