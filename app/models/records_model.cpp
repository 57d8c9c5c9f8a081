#include "app/models/records_model.hpp"

#include "app/models/stations.hpp"
#include "app/models/workspace.hpp"
#include "core/machine/machine.hpp"
#include "core/project/job_run.hpp"
#include "core/toolpath/record.hpp"

namespace wexilum::app {

QString record_text(const JobResults& results, std::uint32_t record, int most)
{
    const auto& sources = results.posted->records.sources;
    const Source source = sources[record];
    if (source.file >= results.toolpaths.size() || !results.toolpaths[source.file] || source.line.value == 0) {
        return {};
    }
    const LineTable& text = *results.toolpaths[source.file];
    std::uint32_t end = source.line.value + 1;
    for (std::uint32_t i = record + 1; i < sources.size(); ++i) {
        if (!(sources[i] == source)) {
            end = sources[i].file == source.file ? sources[i].line.value : source.line.value + 1;
            break;
        }
    }
    std::uint32_t first = source.line.value;
    if (results.posted->records.kinds[record] == RecordData(record::Circular{}).index() && record > 0 &&
        sources[record - 1].file == source.file) {
        first = std::max(sources[record - 1].line.value + 1, first > 2 ? first - 2 : 1); // the arc's own statement stands before its end
    }
    // A statement goes on while its line ends in "$".
    std::uint32_t last = source.line.value;
    while (last < end - 1 && last < text.size() && text.line(last - 1).ends_with('$')) {
        ++last;
    }
    QStringList out;
    for (std::uint32_t i = first; i <= last && i <= text.size() && out.size() < most; ++i) {
        const std::string_view line = text.line(i - 1);
        out.push_back(QString::fromUtf8(line.data(), qsizetype(line.size())).trimmed());
    }
    return out.join(QLatin1Char('\n'));
}

RecordsModel::RecordsModel(Workspace& workspace, QObject* parent) : QAbstractTableModel(parent)
{
    const auto renew = [this, &workspace] {
        beginResetModel();
        results_ = workspace.results();
        endResetModel();
    };
    connect(&workspace, &Workspace::code_changed, this, renew);
    connect(&workspace, &Workspace::job_changed, this, renew);
}

int RecordsModel::rowCount(const QModelIndex& parent) const
{
    return parent.isValid() || !results_ ? 0 : int(results_->posted->records.size());
}
int RecordsModel::columnCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : int(columns); }

QVariant RecordsModel::data(const QModelIndex& index, int role) const
{
    if (!hasIndex(index.row(), index.column())) { // views ask for what they have chosen, also when nothing is
        return {};
    }
    const auto row = std::uint32_t(index.row());
    const RecordIndex& records = results_->posted->records;
    if (role == Qt::TextAlignmentRole && (index.column() == number || index.column() == line)) {
        return int(Qt::AlignRight | Qt::AlignVCenter);
    }
    if (role != Qt::DisplayRole && role != Qt::ToolTipRole) {
        return {};
    }
    switch (index.column()) {
    case number: return grouped(row + 1);
    case event: return QString::fromLatin1(record_kinds[records.kinds[row]].event);
    case line: return records.sources[row].line.value == 0 ? QString() : grouped(records.sources[row].line.value);
    default: {
        if (records.sources[row].line.value == 0) {
            const std::size_t operation = records.sources[row].file;
            const auto& operations = results_->assembly().job.operations;
            return operation < operations.size() ? QString::fromStdString(operations[operation].id + "  " + operations[operation].name +
                                                                          "  (" + operations[operation].toolpath + ")")
                                                 : QString();
        }
        return record_text(*results_, row, role == Qt::DisplayRole ? 3 : 20)
            .replace(QLatin1Char('\n'), role == Qt::DisplayRole ? QStringLiteral(" ") : QStringLiteral("\n"));
    }
    }
}

QVariant RecordsModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    if (orientation == Qt::Horizontal && role == Qt::TextAlignmentRole && (section == number || section == line)) {
        return int(Qt::AlignRight | Qt::AlignVCenter);
    }
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole) {
        return {};
    }
    switch (section) {
    case number: return tr("record");
    case event: return tr("event");
    case line: return tr("line");
    default: return tr("text in the toolpath");
    }
}

} // namespace wexilum::app
