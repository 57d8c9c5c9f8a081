#include "core/toolpath/record_spool.hpp"

#include <algorithm>
#include <array>
#include <type_traits>
#include <utility>

namespace wexilum {
namespace {

// Every alternative is described once, field by field; the same description writes and reads.
template <typename Stream>
void fields(Stream& s, Pose& v)
{
    s.vector(v.tip);
    s.vector(v.axis);
}
template <typename Stream>
void fields(Stream& s, record::From& v)
{
    fields(s, v.at);
}
template <typename Stream>
void fields(Stream& s, record::Rapid& v)
{
    fields(s, v.to);
}
template <typename Stream>
void fields(Stream& s, record::Linear& v)
{
    fields(s, v.to);
    s.vector(v.surface);
}
template <typename Stream>
void fields(Stream& s, record::Circular& v)
{
    s.vector(v.centre);
    s.vector(v.normal);
    s.value(v.radius);
    s.value(v.extra_turns);
    fields(s, v.to);
}
template <typename Stream>
void fields(Stream& s, record::Wound& v)
{
    WoundWay way = v.way ? *v.way : WoundWay();
    for (int k = 0; k < 3; ++k) {
        Vec3 column = way.cylinder.linear().col(k);
        s.vector(column);
        way.cylinder.linear().col(k) = column;
    }
    Vec3 origin = way.cylinder.translation();
    s.vector(origin);
    way.cylinder.translation() = origin;
    s.value(way.radius);
    s.vector(way.from);
    s.vector(way.to);
    bool bent = way.arc.has_value();
    s.value(bent);
    Arc arc = way.arc.value_or(Arc());
    s.vector(arc.centre);
    s.vector(arc.normal);
    s.value(arc.sweep);
    arc.start = way.from;
    arc.end = way.to;
    way.arc = bent ? std::optional(arc) : std::nullopt;
    v.way = std::make_shared<const WoundWay>(way);
    fields(s, v.to);
}
template <typename Stream>
void fields(Stream& s, std::optional<record::Round>& v)
{
    bool there = v.has_value();
    s.value(there);
    record::Round round = v.value_or(record::Round());
    s.vector(round.centre);
    s.vector(round.normal);
    s.value(round.extra_turns);
    v = there ? std::optional(round) : std::nullopt;
}
template <typename Stream>
void fields(Stream& s, record::Ruled& v)
{
    fields(s, v.to);
    s.vector(v.upper_from);
    s.vector(v.upper_to);
    fields(s, v.lower_round);
    fields(s, v.upper_round);
}
template <typename Stream>
void fields(Stream& s, record::CycleStart& v)
{
    s.text(v.kind);
    s.table(v.parameters);
}
template <typename Stream>
void fields(Stream& s, record::CyclePoint& v)
{
    fields(s, v.at);
}
template <typename Stream>
void fields(Stream& s, record::ToolChange& v)
{
    bool stated = v.length.has_value();
    double length = v.length.value_or(0);
    s.value(v.number);
    s.value(stated);
    s.value(length);
    v.length = stated ? std::optional(length) : std::nullopt;
}
template <typename Stream>
void fields(Stream& s, record::Feed& v)
{
    s.value(v.mode);
    s.value(v.value);
}
template <typename Stream>
void fields(Stream& s, record::Spindle& v)
{
    s.value(v.state);
    s.value(v.speed_rpm);
}
template <typename Stream>
void fields(Stream& s, record::Coolant& v)
{
    s.value(v.state);
}
template <typename Stream>
void fields(Stream& s, record::ProgramName& v)
{
    s.text(v.text);
}
template <typename Stream>
void fields(Stream& s, record::Operation& v)
{
    s.text(v.id);
    s.text(v.name);
}
template <typename Stream>
void fields(Stream& s, record::Comment& v)
{
    s.text(v.text);
}
template <typename Stream>
void fields(Stream& s, record::Dwell& v)
{
    s.value(v.amount);
    s.value(v.revolutions);
}
template <typename Stream>
void fields(Stream& s, record::InsertedText& v)
{
    s.text(v.text);
}
template <typename Stream>
void fields(Stream& s, record::Unknown& v)
{
    s.text(v.word);
    s.text(v.text);
}
template <typename Stream>
void fields(Stream& s, record::PostureChange& v)
{
    s.value(v.posture.mount);
    s.list(v.posture.held);
    s.value(v.posture.work);
    bool spares = v.posture.spare.has_value();
    JointIndex spare = v.posture.spare.value_or(JointIndex());
    s.value(spares);
    s.value(spare);
    v.posture.spare = spares ? std::optional(spare) : std::nullopt;
    s.list(v.by_hand);
    s.value(v.fitted);
    s.value(v.other_work);
}
template <typename Stream, typename Bare>
void fields(Stream&, Bare&) // stops and ends
{
    static_assert(std::is_empty_v<Bare>);
}

struct Put {
    SpoolWriter& out;
    void list(const std::vector<HeldJoint>& v)
    {
        out.put(static_cast<std::uint32_t>(v.size()));
        for (const HeldJoint& held : v) {
            out.put(held);
        }
    }
    void vector(const Vec3& v) { out.bytes(reinterpret_cast<const char*>(v.data()), 3 * sizeof(double)); }
    template <typename T>
    void value(const T& v)
    {
        out.put(v);
    }
    void text(const std::string& v)
    {
        out.put(static_cast<std::uint32_t>(v.size()));
        out.bytes(v.data(), v.size());
    }
    void table(const std::map<std::string, double>& v)
    {
        out.put(static_cast<std::uint32_t>(v.size()));
        for (const auto& [name, number] : v) {
            text(name);
            out.put(number);
        }
    }
};

struct Get {
    SpoolReader& in;
    void list(std::vector<HeldJoint>& v)
    {
        v.resize(in.get<std::uint32_t>());
        for (HeldJoint& held : v) {
            held = in.get<HeldJoint>();
        }
    }
    void vector(Vec3& v) { in.bytes(reinterpret_cast<char*>(v.data()), 3 * sizeof(double)); }
    template <typename T>
    void value(T& v)
    {
        v = in.get<T>();
    }
    void text(std::string& v)
    {
        v.resize(in.get<std::uint32_t>());
        in.bytes(v.data(), v.size());
    }
    void table(std::map<std::string, double>& v)
    {
        v.clear();
        const auto count = in.get<std::uint32_t>();
        for (std::uint32_t i = 0; i < count; ++i) {
            std::string name;
            text(name);
            v[name] = in.get<double>();
        }
    }
};

using Maker = void (*)(RecordData&, SpoolReader&);

template <std::size_t I>
void make(RecordData& data, SpoolReader& in)
{
    using T = std::variant_alternative_t<I, RecordData>;
    Get get{in};
    // The record read before is often of the same kind; its memory is used again.
    if (data.index() != I) {
        data.emplace<I>();
    }
    fields(get, std::get<T>(data));
}

template <std::size_t... I>
constexpr std::array<Maker, sizeof...(I)> makers(std::index_sequence<I...>)
{
    return {&make<I>...};
}

constexpr auto all_makers = makers(std::make_index_sequence<std::variant_size_v<RecordData>>());

} // namespace

void RecordSpoolWriter::put(const Record& record)
{
    out_.put(RecordSpoolReader::Head{record.source.file, record.source.line.value, static_cast<std::uint32_t>(record.data.index())});
    Put put{out_};
    std::visit(
        [&](auto data) { // a copy, because the description of the fields serves both ways
            fields(put, data);
        },
        record.data);
}

void RecordSpoolWriter::put(const LinearRun& run)
{
    out_.put(RecordSpoolReader::Head{run.file, static_cast<std::uint32_t>(run.count),
                                     run.surfaces ? RecordSpoolReader::surfaces_kind : RecordSpoolReader::run_kind});
    out_.bytes(reinterpret_cast<const char*>(run.line.data()), run.count * sizeof(run.line[0]));
    for (const auto* columns : {&run.tip, &run.axis, &run.surface}) {
        for (const Column& column : *columns) {
            if (columns != &run.surface || run.surfaces) {
                out_.bytes(reinterpret_cast<const char*>(column.data()), run.count * sizeof(double));
            }
        }
    }
}

bool RecordSpoolReader::read_head()
{
    if (!head_ && !in_.at_end() && in_.status()) {
        head_ = in_.get<Head>();
    }
    return head_ && in_.status();
}

void RecordSpoolReader::read_run(LinearRun& out)
{
    out.file = head_->file;
    out.count = std::min<std::size_t>(head_->line, longest_run);
    in_.bytes(reinterpret_cast<char*>(out.line.data()), out.count * sizeof(out.line[0]));
    out.surfaces = head_->kind == surfaces_kind;
    for (auto* columns : {&out.tip, &out.axis, &out.surface}) {
        for (Column& column : *columns) {
            if (columns != &out.surface || out.surfaces) {
                in_.bytes(reinterpret_cast<char*>(column.data()), out.count * sizeof(double));
            }
        }
    }
    head_.reset();
}

bool RecordSpoolReader::next(Record& out)
{
    if (run_at_ == run_.count) {
        if (!read_head()) {
            return false;
        }
        if (!is_run()) {
            out.source = {head_->file, LineNumber(head_->line)};
            all_makers[head_->kind < all_makers.size() ? head_->kind : 0](out.data, in_);
            head_.reset();
            return in_.status().ok();
        }
        read_run(run_);
        run_at_ = 0;
    }
    run_.get(run_at_++, out);
    return in_.status().ok();
}

bool RecordSpoolReader::next_run(LinearRun& out)
{
    if (run_at_ != run_.count || !read_head() || !is_run()) {
        out.clear();
        return false;
    }
    read_run(out);
    return in_.status().ok();
}

} // namespace wexilum
