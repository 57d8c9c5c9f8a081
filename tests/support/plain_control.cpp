#include "tests/support/plain_control.hpp"

#include <QFile>
#include <QJsonArray>
#include <QJsonDocument>
#include <QRegularExpression>

#include <algorithm>
#include <array>
#include <cmath>

namespace wexilum::test {
namespace {

using Eigen::AngleAxisd;
using Eigen::Isometry3d;
using Eigen::Translation3d;
using Eigen::Vector3d;

QJsonObject object_of(const QString& path)
{
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly)) {
        qFatal("%s", qPrintable(path));
    }
    return QJsonDocument::fromJson(file.readAll()).object();
}

Vector3d vector_of(const QJsonValue& value, const Vector3d& otherwise = Vector3d::Zero())
{
    const QJsonArray list = value.toArray();
    return list.size() == 3 ? Vector3d(list[0].toDouble(), list[1].toDouble(), list[2].toDouble()) : otherwise;
}

double angle_or_length(const QJsonValue& value)
{
    return value.isObject() ? value.toObject()[QStringLiteral("angle")].toDouble() : value.toDouble();
}

} // namespace

PlainMachine::PlainMachine(const QJsonObject& machine)
{
    for (const QJsonValue& value : machine[QStringLiteral("joints")].toArray()) {
        const QJsonObject joint = value.toObject();
        joints_[joint[QStringLiteral("id")].toString()] = {
            joint[QStringLiteral("kind")].toString() == QStringLiteral("rotary"),
            joint[QStringLiteral("parent")].toString(),
            vector_of(joint[QStringLiteral("direction")]).normalized(),
            vector_of(joint[QStringLiteral("point")]),
            joint[QStringLiteral("reading")].toString() == QStringLiteral("tool-relative") ? -1.0 : 1.0,
            joint[QStringLiteral("home")].toDouble()};
    }
    for (const QJsonValue& value : machine[QStringLiteral("mounts")].toArray()) {
        const QJsonObject mount = value.toObject();
        const QString id = mount[QStringLiteral("id")].toString();
        const Vector3d z = vector_of(mount[QStringLiteral("z")], Vector3d::UnitZ()).normalized();
        const Vector3d x = vector_of(mount[QStringLiteral("x")], Vector3d::UnitX()).normalized();
        Isometry3d frame = Isometry3d::Identity();
        frame.linear().col(0) = x;
        frame.linear().col(1) = z.cross(x);
        frame.linear().col(2) = z;
        frame.translation() = vector_of(mount[QStringLiteral("point")]);
        mounts_[id] = {mount[QStringLiteral("parent")].toString(), frame,
                       mount[QStringLiteral("carries")].toString() == QStringLiteral("blade")};
        QString& first = mount[QStringLiteral("kind")].toString() == QStringLiteral("work") ? work_mount_ : tool_mount_;
        first = first.isEmpty() ? id : first;
    }
}

Isometry3d PlainMachine::moved(QString joint, const std::map<QString, double>& at) const
{
    Isometry3d out = Isometry3d::Identity();
    for (auto found = joints_.find(joint); found != joints_.end(); found = joints_.find(found->second.parent)) {
        const PlainJoint& j = found->second;
        const auto reading = at.find(found->first);
        const double by = j.sign * (reading == at.end() ? 0 : reading->second);
        const Isometry3d motion = j.rotary
                                      ? Isometry3d(Translation3d(j.point) * AngleAxisd(by * degree, j.direction) * Translation3d(-j.point))
                                      : Isometry3d(Translation3d(j.direction * by));
        out = motion * out;
    }
    return out;
}

PlainPose PlainMachine::pose(const std::map<QString, double>& at, const QString& mount, double length) const
{
    const PlainMount& tool = mounts_.at(mount);
    const PlainMount& work = mounts_.at(work_mount_);
    const Isometry3d spindle = moved(tool.parent, at) * tool.frame;
    const Isometry3d in_work = (moved(work.parent, at) * work.frame).inverse() * spindle;
    return {in_work * (tool.blade ? Vector3d(-length, 0, 0) : Vector3d(0, 0, -length)), in_work.linear().col(2),
            in_work.linear().col(tool.blade ? 0 : 2)};
}

bool PlainMachine::is_rotary(const QString& joint) const { return joints_.at(joint).rotary; }
double PlainMachine::home(const QString& joint) const { return joints_.at(joint).home; }

std::vector<QString> PlainMachine::joints() const
{
    std::vector<QString> out;
    for (const auto& [id, joint] : joints_) {
        out.push_back(id);
    }
    return out;
}

PlainControl::PlainControl(const QString& project, const QString& job) : machine_(QJsonObject())
{
    const auto read = [&](const QString& file) { return object_of(project + QLatin1Char('/') + file); };
    const QJsonObject told = read(QStringLiteral("jobs/%1.json").arg(job));
    const QJsonObject post = read(told[QStringLiteral("post")].toString());
    controller_ = read(post[QStringLiteral("controller")].toString());
    setup_ = read(told[QStringLiteral("setup")].toString());
    machine_ = PlainMachine(read(post[QStringLiteral("machine")].toString()));
    offset_ = told[QStringLiteral("work_offset")].toString();
    tip_ = told[QStringLiteral("tolerance")].toObject()[QStringLiteral("tip")].toDouble();
    axis_ = told[QStringLiteral("tolerance")].toObject()[QStringLiteral("axis")].toDouble();
}

/// One run through a program.
class PlainRun {
public:
    explicit PlainRun(const PlainControl& control)
        : control_(control), addresses_(control.controller_[QStringLiteral("addresses")].toObject()),
          numbers_(control.controller_[QStringLiteral("numbers")].toObject()), machine_(control.machine_)
    {
        const QJsonObject axes = control.controller_[QStringLiteral("axes")].toObject();
        for (auto it = axes.begin(); it != axes.end(); ++it) {
            const bool plain = it.value().isString();
            const QString joint = plain ? it.value().toString() : it.value().toObject()[QStringLiteral("joint")].toString();
            const auto joints = machine_.joints();
            if (std::find(joints.begin(), joints.end(), joint) == joints.end()) {
                continue; // an axis that this machine does without
            }
            axes_[it.key()[0].toLatin1()] = joint;
            shortest_[joint] = !plain && it.value().toObject()[QStringLiteral("reads")].toString() == QStringLiteral("shortest-way");
            at_[joint] = machine_.home(joint);
        }
        const QJsonObject words = control.controller_[QStringLiteral("words")].toObject();
        for (const QJsonValue& word : control.controller_[QStringLiteral("power_on")].toArray()) {
            take(words[word.toString()].toObject());
        }
        mount_ = machine_.first_tool_mount();
        offset_ = control.offset_;
    }

    std::vector<PlainStep> run(const std::vector<std::string>& lines)
    {
        for (line_ = 0; line_ < lines.size() && !ended_; ++line_) {
            block(lines[line_]);
        }
        return std::move(steps_);
    }

private:
    struct Word {
        char letter;
        QString number;
    };

    void tell(const std::string& what) { steps_.push_back({line_, false, false, {}, what}); }
    QString address(const char* key) const { return addresses_[QLatin1String(key)].toString(); }
    char letter(const char* key) const { return address(key).isEmpty() ? '\0' : address(key)[0].toLatin1(); }

    double value(const Word& word, const char* increment) const
    {
        const double number = word.number.toDouble();
        const bool whole = !word.number.contains(QLatin1Char('.'));
        return whole && numbers_[QStringLiteral("without_point")].toString() == QStringLiteral("increments")
                   ? number * numbers_[QLatin1String(increment)].toDouble()
                   : number;
    }
    double length(const Word& word) const { return value(word, "length") * (inches_ ? 25.4 : 1); }

    void take(const QJsonObject& meaning)
    {
        const QString does = meaning[QStringLiteral("does")].toString();
        if (does == QStringLiteral("rapid") || does == QStringLiteral("linear") || does.startsWith(QStringLiteral("arc-"))) {
            mode_ = does;
        } else if (does == QStringLiteral("cycle")) {
            mode_ = does;
            cycle_ = meaning[QStringLiteral("motion")].toString();
            initial_ = at_; // the height that "initial" means
        } else if (does == QStringLiteral("cycle-off")) {
            mode_ = mode_ == QStringLiteral("cycle") ? QStringLiteral("rapid") : mode_;
        } else if (does.startsWith(QStringLiteral("plane-"))) {
            plane_ = does.right(2);
        } else if (does == QStringLiteral("inches") || does == QStringLiteral("millimetres")) {
            inches_ = does == QStringLiteral("inches");
        } else if (does == QStringLiteral("absolute") || does == QStringLiteral("incremental")) {
            incremental_ = does == QStringLiteral("incremental");
        } else if (does == QStringLiteral("work-offset")) {
            offset_ = meaning[QStringLiteral("register")].toString();
        } else if (does.startsWith(QStringLiteral("feed-"))) {
            feed_mode_ = does;
        } else if (does.startsWith(QStringLiteral("return-"))) {
            return_ = does;
        } else if (does.startsWith(QStringLiteral("spindle-"))) {
            spindle_ = does;
        } else if (does.startsWith(QStringLiteral("coolant-"))) {
            coolant_ = does;
        } else if (does == QStringLiteral("length-off")) {
            length_ = 0;
            length_joint_.clear();
            length_on_ = false;
        } else if (does == QStringLiteral("length-on")) {
            calls_length_ = length_on_ = true;
        } else if (does == QStringLiteral("machine-coordinates")) {
            in_machine_ = true;
        } else if (does == QStringLiteral("dwell")) {
            dwells_ = true;
        } else if (does == QStringLiteral("tool-change")) {
            changes_ = true;
        } else if (does == QStringLiteral("tool-mount")) {
            if (const QString mount = meaning[QStringLiteral("mount")].toString(); mount != mount_) {
                mount_ = mount;
                tell("mount " + mount_.toStdString());
            }
        } else if (does.startsWith(QStringLiteral("brake-"))) {
            brakes_[meaning[QStringLiteral("joint")].toString()] = does;
        } else if (does == QStringLiteral("stop") || does == QStringLiteral("optional-stop") || does == QStringLiteral("program-end") ||
                   does == QStringLiteral("loop-begin") || does == QStringLiteral("loop-end")) {
            after_.push_back(does);
        } else if (does != QStringLiteral("compensation-off") && does != QStringLiteral("joint-coordinates") &&
                   does != QStringLiteral("coordinate-rotation-off")) {
            tell("alarm: " + does.toStdString());
        }
    }

    void block(const std::string& text)
    {
        QString line = QString::fromStdString(text);
        line.remove(QRegularExpression(QStringLiteral("\\([^)]*\\)")));
        if (line.trimmed().isEmpty() || line.startsWith(QLatin1Char('%')) || line.startsWith(QLatin1Char('O'))) {
            return;
        }
        static const QRegularExpression pattern(QStringLiteral("([A-Za-z])\\s*([-+]?[0-9]*\\.?[0-9]*)"));
        std::vector<Word> words;
        const QJsonObject meanings = control_.controller_[QStringLiteral("words")].toObject();
        calls_length_ = in_machine_ = dwells_ = changes_ = false;
        after_.clear();
        std::string odd;
        for (auto it = pattern.globalMatch(line); it.hasNext();) {
            const auto found = it.next();
            Word word{found.captured(1)[0].toUpper().toLatin1(), found.captured(2)};
            bool number = false;
            const double told = word.number.toDouble(&number);
            const QString key = QLatin1Char(word.letter) + QString::number(told);
            if (!number) {
                odd += "alarm: no number; ";
            } else if (meanings.contains(key)) {
                take(meanings[key].toObject());
            } else if (word.letter != letter("sequence_number")) {
                words.push_back(word);
            }
        }
        if (!odd.empty()) {
            tell(odd);
        }
        std::map<char, Word> by;
        for (const Word& word : words) {
            if (!by.emplace(word.letter, word).second) {
                tell("alarm: twice");
            }
        }
        const auto pop = [&](char of) -> std::optional<Word> {
            const auto found = by.find(of);
            if (of == '\0' || found == by.end()) {
                return {};
            }
            const Word out = found->second;
            by.erase(found);
            return out;
        };
        if (const auto word = pop(letter("speed"))) {
            speed_ = word->number.toDouble();
        }
        if (const auto word = pop(letter("feed"))) {
            feed_ = value(*word, feed_mode_ == QStringLiteral("feed-inverse-time") ? "inverse_time" : "feed");
            feed_given_ = true;
        }
        if (const auto word = pop(letter("tool"))) {
            selected_ = int(word->number.toDouble());
        }
        if (changes_) {
            tool_ = selected_;
            spindle_ = QStringLiteral("spindle-off");
            tell("tool " + std::to_string(tool_) + " at " + places());
        }
        if (const auto registered = pop(letter("length_register")); calls_length_ || (registered && length_on_)) {
            call_length(registered, by);
        }
        if (dwells_) {
            const auto word = pop(letter("dwell"));
            tell("dwell " + (word ? word->number.toStdString() : std::string("?")));
        }
        if (const auto count = pop(letter("loop_count"))) {
            tell("count " + count->number.toStdString());
        }
        motion(by);
        if (!by.empty()) {
            tell(std::string("alarm: nothing reads ") + by.begin()->first);
        }
        for (const QString& does : after_) {
            tell(does.toStdString());
            ended_ = ended_ || does == QStringLiteral("program-end");
        }
    }

    std::string places() const
    {
        std::string out;
        for (const auto& [joint, reading] : at_) {
            out += joint.toStdString() + std::to_string(std::lround(reading * 1000)) + " ";
        }
        return out;
    }

    void call_length(const std::optional<Word>& registered, const std::map<char, Word>& by)
    {
        const QJsonObject motion = control_.controller_[QStringLiteral("motion")].toObject();
        length_joint_ = motion[QStringLiteral("length_joint")].toString();
        if (control_.controller_.contains(QStringLiteral("aligned"))) { // on the axis that the block names
            const QJsonArray aligned =
                control_.controller_[QStringLiteral("aligned")].toArray().first().toObject()[QStringLiteral("joints")].toArray();
            for (const auto& [named, word] : by) {
                const auto axis = axes_.find(named);
                length_joint_ = axis != axes_.end() && aligned.contains(axis->second) ? axis->second : length_joint_;
            }
        }
        length_ = 0;
        for (const QJsonValue& tool : control_.setup_[QStringLiteral("tools")].toArray()) {
            if (registered && tool[QStringLiteral("length_register")].toInt() == int(registered->number.toDouble())) {
                length_ = tool[QStringLiteral("length")].toDouble();
            }
        }
        if (length_ == 0 && (!registered || registered->number.toDouble() != 0)) {
            tell("alarm: no such length");
        }
    }

    double zero(const QString& joint) const
    {
        const QJsonObject offset = control_.setup_[QStringLiteral("offsets")].toObject()[offset_].toObject();
        return angle_or_length(offset[joint]) + (joint == length_joint_ ? length_ : 0);
    }

    double tool_length() const
    {
        for (const QJsonValue& tool : control_.setup_[QStringLiteral("tools")].toArray()) {
            if (tool[QStringLiteral("number")].toInt() == tool_) {
                return tool[QStringLiteral("length")].toDouble();
            }
        }
        return 0;
    }

    std::string state() const
    {
        std::string out = feed_mode_.toStdString() + " S" + std::to_string(speed_) + " " + spindle_.toStdString() + " " +
                          coolant_.toStdString() + " T" + std::to_string(tool_) + " " + mount_.toStdString();
        for (const auto& [joint, does] : brakes_) {
            out += " " + joint.toStdString() + does.toStdString();
        }
        return out;
    }

    void motion(std::map<char, Word>& by)
    {
        std::map<QString, double> to = at_;
        bool any = false;
        for (const auto& [named, joint] : axes_) {
            const auto found = by.find(named);
            // The letter of a radius or a clearance may be that of a joint.
            if (found == by.end() || (mode_ == QStringLiteral("cycle") && named == letter("cycle_clearance"))) {
                continue;
            }
            const double told = machine_.is_rotary(joint) ? value(found->second, "angle") : length(found->second);
            double target = incremental_ ? at_[joint] + told : told + (in_machine_ ? 0 : zero(joint));
            if (shortest_[joint] && !incremental_) {
                target = at_[joint] + std::remainder(target - at_[joint], 360);
            }
            to[joint] = target;
            any = true;
            by.erase(found);
        }
        if (mode_ == QStringLiteral("cycle") && !in_machine_) {
            cycle(by, to, any);
            return;
        }
        std::array<std::optional<double>, 3> centre;
        const QJsonArray letters = addresses_[QStringLiteral("centre")].toArray();
        const bool arc = mode_.startsWith(QStringLiteral("arc-"));
        bool centred = false;
        for (int i = 0; i < letters.size() && arc; ++i) {
            const auto found = by.find(letters[i].toString()[0].toLatin1());
            if (found != by.end()) {
                centre[std::size_t(i)] = length(found->second);
                centred = true;
                by.erase(found);
            }
        }
        if (!any && !centred) {
            return;
        }
        if (!arc || in_machine_) {
            go(to, mode_ != QStringLiteral("rapid"), {});
            return;
        }
        go_round(to, centre);
    }

    void go(const std::map<QString, double>& to, bool feed, const std::vector<std::map<QString, double>>& way)
    {
        const double length = tool_length();
        PlainStep step{line_, true, feed, {}, {}};
        const auto add = [&](const std::map<QString, double>& at) { step.poses.push_back(machine_.pose(at, mount_, length)); };
        if (!way.empty()) {
            std::for_each(way.begin(), way.end(), add);
        } else {
            bool turns = false;
            for (const auto& [joint, reading] : to) {
                turns = turns || (machine_.is_rotary(joint) && reading != at_[joint]);
            }
            const int parts = turns ? 16 : 1;
            for (int i = 0; i <= parts; ++i) {
                std::map<QString, double> at = at_;
                for (const auto& [joint, reading] : to) {
                    at[joint] += (reading - at_[joint]) * i / parts;
                }
                add(at);
            }
        }
        if (feed) {
            const bool timed = feed_mode_ == QStringLiteral("feed-inverse-time");
            step.state = state() + " F" + std::to_string(feed_) + (timed && !feed_given_ ? " alarm: no feed" : "");
        }
        feed_given_ = false;
        at_ = to;
        steps_.push_back(std::move(step));
    }

    void go_round(const std::map<QString, double>& to, const std::array<std::optional<double>, 3>& centre)
    {
        const std::array<char, 2> names = plane_ == QStringLiteral("xy")   ? std::array{'X', 'Y'}
                                          : plane_ == QStringLiteral("zx") ? std::array{'Z', 'X'}
                                                                           : std::array{'Y', 'Z'};
        const QString u = axes_[names[0]];
        const QString v = axes_[names[1]];
        if (u.isEmpty() || v.isEmpty()) {
            tell("alarm: no such plane");
            return;
        }
        const double iu = centre[std::size_t(names[0] - 'X')].value_or(0);
        const double iv = centre[std::size_t(names[1] - 'X')].value_or(0);
        if (centre[std::size_t(3 - (names[0] - 'X') - (names[1] - 'X'))]) {
            tell("alarm: a centre across the plane");
        }
        const double cu = at_[u] + iu;
        const double cv = at_[v] + iv;
        const double r0 = std::hypot(iu, iv);
        const double r1 = std::hypot(to.at(u) - cu, to.at(v) - cv);
        if (std::abs(r0 - r1) > control_.controller_[QStringLiteral("arcs")].toObject()[QStringLiteral("end_tolerance")].toDouble() ||
            r0 < 1e-6) {
            tell("alarm: the end is off the arc");
        }
        const double a0 = std::atan2(-iv, -iu);
        double sweep = std::atan2(to.at(v) - cv, to.at(u) - cu) - a0;
        const bool clockwise = mode_ == QStringLiteral("arc-clockwise");
        const bool whole = std::hypot(to.at(u) - at_[u], to.at(v) - at_[v]) < 1e-6;
        sweep = whole ? 0 : std::remainder(sweep, 2 * M_PI);
        sweep = clockwise && sweep >= 0 ? sweep - 2 * M_PI : !clockwise && sweep <= 0 ? sweep + 2 * M_PI : sweep;
        std::vector<std::map<QString, double>> way;
        const int parts = 96;
        for (int i = 0; i <= parts; ++i) {
            const double s = double(i) / parts;
            std::map<QString, double> at = at_;
            for (const auto& [joint, reading] : to) {
                at[joint] += (reading - at_[joint]) * s;
            }
            const double r = r0 + (r1 - r0) * s;
            at[u] = cu + r * std::cos(a0 + sweep * s);
            at[v] = cv + r * std::sin(a0 + sweep * s);
            way.push_back(std::move(at));
        }
        go(to, true, way);
    }

    void cycle(std::map<char, Word>& by, std::map<QString, double> to, bool any)
    {
        // Along the axis that the block names: across the plane, or that of the aligned ones.
        const bool across = control_.controller_[QStringLiteral("motion")].toObject()[QStringLiteral("cycles")].toString() ==
                            QStringLiteral("across-plane");
        const QJsonArray aligned =
            control_.controller_[QStringLiteral("aligned")].toArray().first().toObject()[QStringLiteral("joints")].toArray();
        QString along = across ? axes_[plane_ == QStringLiteral("xy") ? 'Z' : plane_ == QStringLiteral("zx") ? 'Y' : 'X'] : drilled_;
        for (const auto& [joint, reading] : to) {
            along = !across && aligned.contains(joint) && reading != at_[joint] ? joint : along;
        }
        if (!across && (aligned.isEmpty() || along.isEmpty())) {
            along = control_.controller_[QStringLiteral("motion")].toObject()[QStringLiteral("length_joint")].toString();
        }
        drilled_ = along;
        const auto clearance = by.find(letter("cycle_clearance"));
        if (clearance != by.end()) {
            clearance_ = length(clearance->second) + zero(along);
            by.erase(clearance);
        }
        if (to[along] != at_[along]) {
            bottom_ = to[along];
        }
        std::string more = cycle_.toStdString();
        for (const char* key : {"cycle_step", "cycle_dwell"}) {
            const auto found = by.find(letter(key));
            if (letter(key) != '\0' && found != by.end()) {
                cycle_words_[key] = found->second.number.toStdString();
                by.erase(found);
            }
            more += " " + cycle_words_[key];
        }
        if (!any) {
            return;
        }
        const double initial = initial_[along];
        to[along] = at_[along];
        go(to, false, {});
        to[along] = clearance_;
        go(to, false, {});
        to[along] = bottom_;
        go(to, true, {});
        steps_.back().state += " " + more;
        to[along] = return_ == QStringLiteral("return-initial") ? initial : clearance_;
        go(to, cycle_ == QStringLiteral("bore") || cycle_ == QStringLiteral("tap"), {});
    }

    const PlainControl& control_;
    QJsonObject addresses_;
    QJsonObject numbers_;
    const PlainMachine& machine_;
    std::map<char, QString> axes_;
    std::map<QString, bool> shortest_;
    std::map<QString, double> at_;
    std::map<QString, double> initial_;
    std::map<QString, QString> brakes_;
    std::map<std::string, std::string> cycle_words_;
    std::vector<PlainStep> steps_;
    std::vector<QString> after_;
    std::size_t line_ = 0;
    QString mode_ = QStringLiteral("rapid");
    QString plane_ = QStringLiteral("xy");
    QString feed_mode_;
    QString return_;
    QString cycle_;
    QString drilled_;
    QString spindle_;
    QString coolant_;
    QString mount_;
    QString offset_;
    QString length_joint_;
    double length_ = 0;
    double clearance_ = 0;
    double bottom_ = 0;
    double feed_ = 0;
    double speed_ = 0;
    int selected_ = 0;
    int tool_ = 0;
    bool inches_ = false;
    bool incremental_ = false;
    bool calls_length_ = false;
    bool length_on_ = false;
    bool in_machine_ = false;
    bool dwells_ = false;
    bool changes_ = false;
    bool feed_given_ = false;
    bool ended_ = false;
};

std::vector<PlainStep> PlainControl::run(const std::vector<std::string>& lines) const { return PlainRun(*this).run(lines); }

} // namespace wexilum::test
