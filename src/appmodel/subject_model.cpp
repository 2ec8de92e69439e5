#include "appmodel/subject_model.h"

#include "base/text.h"

#include <algorithm>

namespace thicket::app {

SubjectModel::SubjectModel(Workbench& bench, QObject* parent) : QAbstractListModel(parent), m_bench(bench) {
    connect(&bench.document, &Document::sceneChanged, this, &SubjectModel::refresh);
    connect(&bench, &Workbench::picturesChanged, this, &SubjectModel::refresh);
    refresh();
}

void SubjectModel::refresh() {
    std::vector<std::uint32_t> ids;
    for (const Subject& subject : m_bench.scene().subjects)
        ids.push_back(subject.id);
    if (ids != m_ids) {
        beginResetModel();
        m_ids = std::move(ids);
        endResetModel();
    } else if (!m_ids.empty()) {
        emit dataChanged(index(0), index(static_cast<int>(m_ids.size()) - 1));
    }
}

int SubjectModel::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(m_ids.size());
}

QVariant SubjectModel::data(const QModelIndex& index, int role) const {
    if (!index.isValid() || index.row() >= rowCount())
        return {};
    const Subject* found = m_bench.scene().find(m_ids[static_cast<std::size_t>(index.row())]);
    if (found == nullptr)
        return {};
    const Subject& subject = *found;
    const bool missing = !subject.levels.front().mesh;
    switch (role) {
    case Qt::DisplayRole:
    case Qt::EditRole:
    case Qt::AccessibleTextRole:
        return QString::fromStdString(subject.name);
    case Id:
        return subject.id;
    case Weight: {
        if (missing)
            return tr("source missing");
        const auto placed = std::count_if(m_bench.scene().placements.begin(), m_bench.scene().placements.end(),
                                          [&](const Placement& p) { return p.subject == subject.id; });
        // The staircase beside it shows the levels, so the line has room for how often it stands in the scene.
        const QString count =
            QString::fromStdString(shortCount(subject.levels.front().triangles)) + QStringLiteral(" · ");
        if (placed > 1)
            return count + tr("%1 placed").arg(placed);
        return count + (subject.levels.size() == 1 ? tr("1 level") : tr("%1 levels").arg(subject.levels.size()));
    }
    case Triangles:
        return subject.levels.front().triangles;
    case Levels: {
        QVariantList counts;
        for (const Level& level : subject.levels)
            counts << level.triangles;
        return counts;
    }
    case Serious:
        return missing || std::any_of(subject.findings.begin(), subject.findings.end(),
                                      [](const Finding& f) { return f.serious; });
    case Missing:
        return missing;
    case Picture:
        return m_bench.picture(subject.levels.front().mesh, subject.surfaces);
    case Qt::ToolTipRole:
        return QString::fromStdString(subject.source.path.string());
    default:
        return {};
    }
}

bool SubjectModel::setData(const QModelIndex& index, const QVariant& value, int role) {
    if (role != Qt::EditRole || !index.isValid())
        return false;
    m_bench.renameSubject(index.data(Id).toUInt(), value.toString());
    return true;
}

Qt::ItemFlags SubjectModel::flags(const QModelIndex& index) const {
    return index.isValid() ? Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsEditable : Qt::NoItemFlags;
}

QModelIndex SubjectModel::indexOf(std::uint32_t id) const {
    const auto found = std::find(m_ids.begin(), m_ids.end(), id);
    return found == m_ids.end() ? QModelIndex() : index(static_cast<int>(found - m_ids.begin()));
}

} // namespace thicket::app
