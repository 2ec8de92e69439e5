#include "appmodel/subject_model.h"

#include "appmodel/text.h"
#include "scene/kinds.h"

#include <algorithm>

namespace thicket::app {

SubjectModel::SubjectModel(Workbench& bench, QObject* parent) : QAbstractListModel(parent), m_bench(bench) {
    connect(&bench.session.document, &Document::sceneChanged, this, &SubjectModel::refresh);
    connect(&bench.looks, &LooksModel::picturesChanged, this, &SubjectModel::refresh);
    refresh();
}

void SubjectModel::refresh() {
    std::vector<std::uint32_t> ids;
    for (const Subject& subject : m_bench.session.scene().subjects)
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
    const Subject* found = m_bench.session.scene().find(m_ids[static_cast<std::size_t>(index.row())]);
    if (found == nullptr)
        return {};
    const Subject& subject = *found;
    const Scene& scene = m_bench.session.scene();
    const bool missing = isIncomplete(scene, subject);
    switch (role) {
    case Qt::DisplayRole:
    case Qt::EditRole:
    case Qt::AccessibleTextRole:
        return toText(subject.name);
    case Id:
        return subject.id;
    case Weight:
        return missing ? tr("source missing") : toText(weightText(subject));
    case Triangles:
        return weightOf(scene, subject);
    case Levels: {
        QVariantList counts;
        if (const auto chain = ownChainOf(subject, scene.settings.view))
            for (const LevelCost& level : chain->levels)
                counts << level.triangles;
        return counts;
    }
    case Serious:
        return missing || std::any_of(subject.findings.begin(), subject.findings.end(),
                                      [](const Finding& f) { return f.serious; });
    case Missing:
        return missing;
    case Picture: {
        const Likeness likeness = likenessOf(scene, subject);
        return m_bench.looks.picture(likeness.mesh, likeness.surfaces);
    }
    case Qt::ToolTipRole:
        return toText(subject.source.path.string());
    default:
        return {};
    }
}

bool SubjectModel::setData(const QModelIndex& index, const QVariant& value, int role) {
    if (role != Qt::EditRole || !index.isValid())
        return false;
    m_bench.files.renameSubject(index.data(Id).toUInt(), value.toString());
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
