#include "app/models/findings_model.hpp"

#include "app/models/workspace.hpp"
#include "core/project/job_run.hpp"

namespace wexilum::app {

State state_of(const Finding& finding)
{
    if (finding.kind == "near-singular" || finding.kind == "pole-turn" || finding.kind == "pole-lean") {
        return State::singular;
    }
    switch (finding.severity) {
    case Severity::error: return State::beyond;
    case Severity::warning: return State::margin;
    case Severity::remark: break;
    }
    return State::waits;
}

QString place_text(const FoundAt& found)
{
    const QString place = place_text(found.finding);
    const bool elsewhere = !found.in_posted_code() && !found.finding.code.file.empty();
    return elsewhere ? QString::fromStdString(found.finding.code.file) + QStringLiteral(" · ") + place : place;
}

QString place_text(const Finding& finding)
{
    const auto range = [](std::uint32_t first, std::uint32_t last) {
        return last > first ? QStringLiteral("%1–%2").arg(first).arg(last) : QString::number(first);
    };
    QString out;
    if (!finding.source.file.empty()) {
        out = QString::fromStdString(finding.source.file);
        if (finding.source.line != 0) {
            out += QLatin1Char(':') + range(finding.source.line, finding.last_source_line);
        }
    }
    if (finding.code.line != 0) {
        out += (out.isEmpty() ? QString() : QStringLiteral(" · ")) +
               QObject::tr("line %1").arg(range(finding.code.line, finding.last_code_line));
    }
    return out;
}

FindingsModel::FindingsModel(Workspace& workspace, QObject* parent) : QAbstractTableModel(parent), found_(workspace.findings())
{
    connect(&workspace, &Workspace::findings_changed, this, [this, &workspace] {
        beginResetModel();
        found_ = workspace.findings();
        endResetModel();
    });
}

int FindingsModel::rowCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(found_.size()); }
int FindingsModel::columnCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(columns); }

QVariant FindingsModel::data(const QModelIndex& index, int role) const
{
    if (!hasIndex(index.row(), index.column())) {
        return {};
    }
    const Finding& f = at(index.row()).finding;
    if (role == Qt::DisplayRole || role == Qt::ToolTipRole) {
        switch (index.column()) {
        case kind: return QString::fromStdString(f.kind).replace(QLatin1Char('-'), QLatin1Char(' '));
        case text: return QString::fromStdString(f.message) + (f.count > 1 ? tr(" (the worst of %1)").arg(f.count) : QString());
        case place: return place_text(at(index.row()));
        case cure: return QString::fromStdString(f.cure);
        default: return {};
        }
    }
    if (role == Qt::UserRole) {
        return int(state_of(f));
    }
    if (role == Qt::AccessibleTextRole && index.column() == kind) {
        return QStringLiteral("%1: %2").arg(QLatin1String(name_of(f.severity)), QString::fromStdString(f.kind));
    }
    return {};
}

QVariant FindingsModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole) {
        return {};
    }
    switch (section) {
    case kind: return tr("what");
    case text: return tr("message");
    case place: return tr("where");
    default: return tr("cure");
    }
}

void FindingsFilter::set_text(const QString& text)
{
    words_ = text.split(QLatin1Char(' '), Qt::SkipEmptyParts);
    invalidateFilter();
}

void FindingsFilter::set_least(Severity least)
{
    least_ = least;
    invalidateFilter();
}

bool FindingsFilter::filterAcceptsRow(int row, const QModelIndex& parent) const
{
    const auto* model = static_cast<const FindingsModel*>(sourceModel());
    if (model->at(row).finding.severity < least_) {
        return false;
    }
    QString all;
    for (int column = 0; column < FindingsModel::columns; ++column) {
        all += model->index(row, column, parent).data().toString() + QLatin1Char('\n');
    }
    return std::all_of(words_.begin(), words_.end(), [&](const QString& word) { return all.contains(word, Qt::CaseInsensitive); });
}

} // namespace wexilum::app
