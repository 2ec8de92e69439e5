#pragma once
// The subjects as an item model: what the list on the left shows.

#include "appmodel/workbench.h"

#include <QAbstractListModel>

namespace thicket::app {

class SubjectModel : public QAbstractListModel {
    Q_OBJECT
public:
    enum Role { Id = Qt::UserRole + 1, Weight, Triangles, Levels, Serious, Picture, Missing };

    explicit SubjectModel(Workbench& bench, QObject* parent = nullptr);

    int rowCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    bool setData(const QModelIndex& index, const QVariant& value, int role) override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    [[nodiscard]] QModelIndex indexOf(std::uint32_t id) const;

private:
    void refresh();

    Workbench& m_bench;
    std::vector<std::uint32_t> m_ids; ///< what the views know of; compared with the scene on every change
};

} // namespace thicket::app
