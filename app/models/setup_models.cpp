#include "app/models/setup_models.hpp"

#include "app/models/quantity.hpp"
#include "app/models/stations.hpp"
#include "app/models/workspace.hpp"
#include "core/job/assembly.hpp"
#include "core/project/job_run.hpp"

#include <algorithm>
#include <cmath>

namespace wexilum::app {

QUndoStack* SetupEditor::stack() const { return workspace_.documents().stack(path_); }

SetupEditor::SetupEditor(Workspace& workspace, QObject* parent) : QObject(parent), workspace_(workspace)
{
    connect(&workspace, &Workspace::code_changed, this, &SetupEditor::read);
    connect(&workspace, &Workspace::job_changed, this, &SetupEditor::read);
    connect(&workspace, &Workspace::failed, this, &SetupEditor::read);
    connect(&workspace.documents(), &Documents::edited, this, [this](const QString& path) {
        if (path == path_) {
            read();
        }
    });
}

const Machine* SetupEditor::machine() const { return workspace_.results() ? &workspace_.results()->assembly().machine : nullptr; }

void SetupEditor::read()
{
    const QString wrong = workspace_.error() ? QString::fromStdString(workspace_.error()->place.file) : QString();
    if (workspace_.results()) {
        path_ = workspace_.results()->setup_path();
    } else if (wrong.startsWith(QStringLiteral("setups/"))) { // it has kept the job from running so far: here it can be mended
        path_ = wrong;
    } else {
        path_.clear();
        setup_.reset();
    }
    if (!path_.isEmpty()) {
        auto document = workspace_.documents().parsed(path_);
        auto setup = document ? read_setup(*document) : Result<Setup>(document.error());
        if (setup) {
            setup_ = std::move(*setup);
        }
    }
    Q_EMIT changed();
}

bool SetupEditor::edit(const QString& label, const std::function<Result<json::Patch>(const json::Document&)>& patch)
{
    auto document = workspace_.documents().parsed(path_);
    auto made = document ? patch(*document) : Result<json::Patch>(document.error());
    if (made) {
        // What can't be read afterwards is not taken: the table says why, and nothing has happened.
        auto after = json::Document::parse(json::applied(document->text(), *made), path_.toStdString());
        auto setup = after ? read_setup(*after) : Result<Setup>(after.error());
        if (!setup) {
            made = setup.error();
        }
    }
    if (!made) {
        Q_EMIT refused(QString::fromStdString(made.error().message + "; " + made.error().cure));
        return false;
    }
    return workspace_.documents().replace(path_, made->begin, made->end, made->text, label).ok();
}

namespace {

/// Turns about X, then Y, then Z of the holder (rad), and back.
Vec3 turns_of(const Mat3& m)
{
    const double y = std::atan2(-m(2, 0), std::hypot(m(0, 0), m(1, 0)));
    return {std::atan2(m(2, 1), m(2, 2)), y, std::atan2(m(1, 0), m(0, 0))};
}
Mat3 turned(const Vec3& turns)
{
    return (Eigen::AngleAxisd(turns.z(), Vec3::UnitZ()) * Eigen::AngleAxisd(turns.y(), Vec3::UnitY()) *
            Eigen::AngleAxisd(turns.x(), Vec3::UnitX()))
        .toRotationMatrix();
}

} // namespace

double part_value(const Frame& part, int field) { return field < 3 ? part.translation()[field] : turns_of(part.linear())[field - 3]; }

bool SetupEditor::set_part(std::size_t work, int field, const QString& text)
{
    if (!setup_ || work >= setup_->works.size()) {
        return false;
    }
    const Measure measure = field < 3 ? Measure::length : Measure::angle;
    const auto value = quantity_of(text, measure);
    if (!value) {
        Q_EMIT refused(tr("\"%1\" is not a %2; type a number, with or without a unit (mm, in, °, rad)")
                           .arg(text, field < 3 ? tr("length") : tr("angle")));
        return false;
    }
    const Frame& part = setup_->works[work].part;
    if (quantity_text(*value, measure) == quantity_text(part_value(part, field), measure)) {
        return true;
    }
    if (field < 3) {
        Vec3 point = part.translation();
        point[field] = *value;
        return edit(tr("position of the part"), [&](const json::Document& d) { return set_part_point(d, work, point); });
    }
    Vec3 turns = turns_of(part.linear());
    turns[field - 3] = *value;
    const Mat3 m = turned(turns);
    return edit(tr("turn of the part"), [&](const json::Document& d) { return set_part_directions(d, work, m.col(0), m.col(2)); });
}

QString SetupEditor::use_of(const std::string& register_name) const
{
    const auto& results = workspace_.results();
    QStringList works;
    for (std::uint32_t i = 0; results && i < results->assembly().setup.works.size(); ++i) {
        if (results->assembly().register_of(i) == register_name) {
            const std::string& id = results->assembly().setup.works[i].id;
            works += id.empty() ? tr("in use") : QString::fromStdString(id);
        }
    }
    return works.join(QStringLiteral(", "));
}

// --- tables ---------------------------------------------------------------------------------------------------------

SetupTable::SetupTable(SetupEditor& editor, QObject* parent) : QAbstractTableModel(parent), editor_(editor)
{
    connect(&editor, &SetupEditor::changed, this, &SetupTable::renew);
}

void SetupTable::renew()
{
    const int rows = rowCount({});
    const int columns = columnCount({});
    if (size_to_come() != std::pair(rows, columns)) {
        beginResetModel();
        take();
        endResetModel();
        return;
    }
    take();
    if (rows > 0 && columns > 0) {
        Q_EMIT dataChanged(index(0, 0), index(rows - 1, columns - 1));
        Q_EMIT headerDataChanged(Qt::Vertical, 0, rows - 1);
        Q_EMIT headerDataChanged(Qt::Horizontal, 0, columns - 1);
    }
}

// --- works ----------------------------------------------------------------------------------------------------------

WorksModel::WorksModel(SetupEditor& editor, QObject* parent) : SetupTable(editor, parent) { take(); }

std::pair<int, int> WorksModel::size_to_come() const
{
    const auto& setup = editor_.setup();
    return {setup && !setup->works.front().id.empty() ? int(setup->works.size()) : 0, columnCount({})};
}

void WorksModel::take() { works_ = size_to_come().first > 0 ? editor_.setup()->works : std::vector<Work>(); }

int WorksModel::rowCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(works_.size()); }
int WorksModel::columnCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : first_place + 6; }

QVariant WorksModel::data(const QModelIndex& index, int role) const
{
    if (!hasIndex(index.row(), index.column())) {
        return {};
    }
    const int column = index.column();
    if (role == Qt::TextAlignmentRole) {
        return int((column < first_place ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
    }
    if (role == Qt::ToolTipRole && column >= first_place) {
        return column < first_place + 3 ? tr("origin of the part's frame on its holder")
                                        : tr("how the part is turned: about X, then Y, then Z of the holder");
    }
    if (role != Qt::DisplayRole && role != Qt::EditRole) {
        return {};
    }
    const Work& work = works_[std::size_t(index.row())];
    switch (column) {
    case id: return QString::fromStdString(work.id);
    case holder: return QString::fromStdString(work.holder);
    case work_offset: return QString::fromStdString(work.work_offset);
    default: break;
    }
    const int field = column - first_place;
    return quantity_text(part_value(work.part, field), field < 3 ? Measure::length : Measure::angle);
}

QVariant WorksModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole) {
        return {};
    }
    static const std::array<const char*, 9> names{"work",  "held by",    "register",   "X  mm",     "Y  mm",
                                                  "Z  mm", "about X  °", "about Y  °", "about Z  °"};
    return section >= 0 && section < int(names.size()) ? tr(names[std::size_t(section)]) : QString();
}

Qt::ItemFlags WorksModel::flags(const QModelIndex& index) const
{
    return index.isValid() ? Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsEditable : Qt::NoItemFlags;
}

bool WorksModel::setData(const QModelIndex& index, const QVariant& value, int role)
{
    if (role != Qt::EditRole || !hasIndex(index.row(), index.column())) {
        return false;
    }
    const auto row = std::size_t(index.row());
    if (index.column() >= first_place) {
        return editor_.set_part(row, index.column() - first_place, value.toString());
    }
    static const std::array<const char*, 3> keys{"id", "holder", "work_offset"};
    const std::string text = value.toString().trimmed().toStdString();
    return editor_.edit(
        tr("%1 of %2").arg(headerData(index.column(), Qt::Horizontal, Qt::DisplayRole).toString(), QString::fromStdString(works_[row].id)),
        [&](const json::Document& d) { return set_work_text(d, row, keys[std::size_t(index.column())], text); });
}

// --- offsets --------------------------------------------------------------------------------------------------------

OffsetsModel::OffsetsModel(SetupEditor& editor, QObject* parent) : SetupTable(editor, parent) { take(); }

namespace {

/// The machine's; of a setup whose job has not run yet those that its registers name.
std::vector<Joint> joints_of(const SetupEditor& editor)
{
    if (editor.machine() != nullptr) {
        return editor.machine()->joints;
    }
    std::vector<Joint> out;
    for (const auto& [name, values] : editor.setup()->offsets) {
        const auto forms = editor.setup()->offset_forms.find(name);
        for (const auto& [id, value] : values) {
            auto found = std::find_if(out.begin(), out.end(), [&id = id](const Joint& j) { return j.id == id; });
            if (found == out.end()) {
                found = out.insert(out.end(), Joint{});
                found->id = id;
            }
            const bool angle = forms != editor.setup()->offset_forms.end() && forms->second.contains(id) && forms->second.at(id).angle;
            found->kind = angle ? JointKind::rotary : found->kind;
        }
    }
    return out;
}

} // namespace

std::pair<int, int> OffsetsModel::size_to_come() const
{
    return editor_.setup() ? std::pair(int(editor_.setup()->offsets.size()), int(joints_of(editor_).size())) : std::pair(0, 0);
}

void OffsetsModel::take()
{
    registers_.clear();
    joints_.clear();
    if (editor_.setup()) {
        registers_.assign(editor_.setup()->offsets.begin(), editor_.setup()->offsets.end());
        joints_ = joints_of(editor_);
    }
}

int OffsetsModel::rowCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(registers_.size()); }
int OffsetsModel::columnCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(joints_.size()); }

QVariant OffsetsModel::data(const QModelIndex& index, int role) const
{
    if (!hasIndex(index.row(), index.column())) {
        return {};
    }
    const Joint& joint = joints_[std::size_t(index.column())];
    const auto& values = registers_[std::size_t(index.row())].second;
    const auto value = values.find(joint.id);
    if (role == Qt::TextAlignmentRole) {
        return int(Qt::AlignRight | Qt::AlignVCenter);
    }
    if (role == Qt::DisplayRole || role == Qt::EditRole) {
        return value == values.end() ? QString()
                                     : quantity_text(value->second, joint.kind == JointKind::rotary ? Measure::angle : Measure::length);
    }
    if (role == Qt::ToolTipRole) {
        return tr("machine reading of %1 at which the program's word is zero").arg(QString::fromStdString(joint.id));
    }
    return {};
}

QVariant OffsetsModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    const std::size_t count = orientation == Qt::Vertical ? registers_.size() : joints_.size();
    if (role != Qt::DisplayRole || section < 0 || std::size_t(section) >= count) {
        return {};
    }
    if (orientation == Qt::Vertical) {
        const std::string& name = registers_[std::size_t(section)].first;
        const QString use = editor_.use_of(name);
        return use.isEmpty() ? QString::fromStdString(name) : tr("%1, %2").arg(QString::fromStdString(name), use);
    }
    const Joint& joint = joints_[std::size_t(section)];
    const bool told = editor_.machine() != nullptr || std::any_of(registers_.begin(), registers_.end(), [&](const auto& r) {
                          const auto value = r.second.find(joint.id);
                          return value != r.second.end() && value->second != 0;
                      });
    if (!told) { // zero in any unit, and nothing says which joints turn
        return QString::fromStdString(joint.id);
    }
    return QString::fromStdString(joint.id) + (joint.kind == JointKind::rotary ? QStringLiteral("  °") : QStringLiteral("  mm"));
}

Qt::ItemFlags OffsetsModel::flags(const QModelIndex& index) const
{
    if (editor_.machine() == nullptr) {
        return index.isValid() ? Qt::ItemIsEnabled | Qt::ItemIsSelectable : Qt::NoItemFlags; // which joints turn is not known
    }
    return index.isValid() ? Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsEditable : Qt::NoItemFlags;
}

bool OffsetsModel::setData(const QModelIndex& index, const QVariant& value, int role)
{
    if (role != Qt::EditRole || !hasIndex(index.row(), index.column())) {
        return false;
    }
    const Joint joint = joints_[std::size_t(index.column())];
    const bool rotary = joint.kind == JointKind::rotary;
    const auto number = quantity_of(value.toString(), rotary ? Measure::angle : Measure::length);
    if (!number) {
        Q_EMIT editor_.refused(tr("\"%1\" is not a %2; type a number, with or without a unit (mm, in, °, rad)")
                                   .arg(value.toString(), rotary ? tr("angle") : tr("length")));
        return false;
    }
    const std::string name = registers_[std::size_t(index.row())].first;
    return editor_.edit(tr("offset %1 of register %2").arg(QString::fromStdString(joint.id), QString::fromStdString(name)),
                        [&](const json::Document& document) { return set_offset(document, name, joint.id, rotary, *number); });
}

// --- tools ----------------------------------------------------------------------------------------------------------

ToolsModel::ToolsModel(SetupEditor& editor, QObject* parent) : SetupTable(editor, parent) { take(); }

std::pair<int, int> ToolsModel::size_to_come() const { return {editor_.setup() ? int(editor_.setup()->tools.size()) : 0, columnCount({})}; }

void ToolsModel::take() { tools_ = editor_.setup() ? editor_.setup()->tools : std::vector<Tool>(); }

int ToolsModel::rowCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(tools_.size()); }
int ToolsModel::columnCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(tool_field_count) + 1; }

bool ToolsModel::is_used(std::uint32_t tool) const
{
    const auto& results = editor_.workspace().results();
    if (!results) {
        return false;
    }
    const auto& calls = results->posted->run.outline.tool_calls;
    return std::find(calls.begin(), calls.end(), tool) != calls.end();
}

QVariant ToolsModel::data(const QModelIndex& index, int role) const
{
    if (!hasIndex(index.row(), index.column())) {
        return {};
    }
    const Tool& tool = tools_[std::size_t(index.row())];
    if (index.column() == int(tool_field_count)) {
        return role == Qt::DisplayRole && is_used(tool.number) ? QVariant(tr("in use")) : QVariant();
    }
    const auto field = static_cast<ToolField>(index.column());
    if (role == Qt::TextAlignmentRole) {
        return int((field == ToolField::name || field == ToolField::shape ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
    }
    if (role == Qt::UserRole) { // what is missing where it is needed
        return field == ToolField::length && !tool.length;
    }
    if (role != Qt::DisplayRole && role != Qt::EditRole) {
        return {};
    }
    switch (field) {
    case ToolField::number: return QString::number(tool.number);
    case ToolField::name: return QString::fromStdString(tool.name);
    case ToolField::shape: return QString::fromStdString(tool.shape);
    case ToolField::diameter: return tool.diameter > 0 ? quantity_text(tool.diameter, Measure::length) : QString();
    case ToolField::length:
        return tool.length ? quantity_text(*tool.length, Measure::length) : role == Qt::DisplayRole ? tr("missing") : QString();
    case ToolField::length_register: return QString::number(tool.length_register);
    }
    return {};
}

QVariant ToolsModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole) {
        return {};
    }
    switch (section) {
    case int(ToolField::number): return tr("tool");
    case int(ToolField::name): return tr("name");
    case int(ToolField::shape): return tr("shape");
    case int(ToolField::diameter): return tr("diameter, mm");
    case int(ToolField::length): return tr("gauge length, mm");
    case int(ToolField::length_register): return tr("length register");
    default: return QString();
    }
}

Qt::ItemFlags ToolsModel::flags(const QModelIndex& index) const
{
    if (!index.isValid()) {
        return Qt::NoItemFlags;
    }
    const Qt::ItemFlags out = Qt::ItemIsEnabled | Qt::ItemIsSelectable;
    return index.column() < int(tool_field_count) ? out | Qt::ItemIsEditable : out;
}

bool ToolsModel::setData(const QModelIndex& index, const QVariant& value, int role)
{
    if (role != Qt::EditRole || !hasIndex(index.row(), index.column()) || index.column() >= int(tool_field_count)) {
        return false;
    }
    const auto field = static_cast<ToolField>(index.column());
    const auto row = std::size_t(index.row());
    const QString label =
        tr("%1 of tool %2").arg(headerData(index.column(), Qt::Horizontal, Qt::DisplayRole).toString()).arg(tools_[row].number);
    const QString text = value.toString().trimmed();
    if (field == ToolField::name || field == ToolField::shape) {
        return editor_.edit(label, [&](const json::Document& d) { return set_tool_text(d, row, field, text.toStdString()); });
    }
    const bool length = field == ToolField::length || field == ToolField::diameter;
    const auto number = text.isEmpty() && length ? std::nullopt : quantity_of(text, length ? Measure::length : Measure::plain);
    if (!number && !(text.isEmpty() && length)) {
        Q_EMIT editor_.refused(
            tr("\"%1\" is not a number for the %2").arg(text, headerData(index.column(), Qt::Horizontal, Qt::DisplayRole).toString()));
        return false;
    }
    return editor_.edit(label, [&](const json::Document& d) { return set_tool_number(d, row, field, number); });
}

bool ToolsModel::add()
{
    if (!editor_.setup()) {
        return false;
    }
    Tool tool;
    for (const Tool& other : editor_.setup()->tools) {
        tool.number = std::max({tool.number, other.number, other.length_register});
    }
    ++tool.number;
    tool.length_register = tool.number;
    tool.name = tr("new tool").toStdString();
    return editor_.edit(tr("new tool %1").arg(tool.number), [&](const json::Document& d) { return add_tool(d, tool); });
}

bool ToolsModel::remove(int row)
{
    if (!editor_.setup() || row < 0 || row >= rowCount()) {
        return false;
    }
    const std::uint32_t number = tools_[std::size_t(row)].number;
    return editor_.edit(tr("remove tool %1").arg(number), [&](const json::Document& d) { return remove_tool(d, std::size_t(row)); });
}

bool ToolsModel::import(const QString& name, const std::string& text)
{
    const auto tools = read_tool_table(text, name.toStdString());
    if (!tools) {
        Q_EMIT editor_.refused(QString::fromStdString(tools.error().text()));
        return false;
    }
    return editor_.edit(tr("tools of %1").arg(name), [&](const json::Document& d) { return merge_tools(d, *tools); });
}

} // namespace wexilum::app
