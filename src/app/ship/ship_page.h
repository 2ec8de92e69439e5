#pragma once
// Ship: what is written, and the proof that it was read back.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <QAbstractTableModel>
#include <QCheckBox>
#include <QTreeView>

namespace thicket::app {

class ShippedModel : public QAbstractTableModel {
    Q_OBJECT
public:
    explicit ShippedModel(Workbench& bench, QObject* parent = nullptr);
    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

private:
    Workbench& m_bench;
    std::vector<ShippedFile> m_files;
};

class ShipView : public QWidget {
    Q_OBJECT
public:
    explicit ShipView(Workbench& bench, QWidget* parent = nullptr);

private:
    void refresh();
    Workbench& m_bench;
    QLabel* m_summary;
    QTreeView* m_table;
    QLabel* m_empty;
};

class ShipPanel : public Panel {
    Q_OBJECT
public:
    explicit ShipPanel(Workbench& bench, QWidget* parent = nullptr);
    [[nodiscard]] ShipOptions options() const;

signals:
    void shipRequested();

private:
    void refresh();
    Workbench& m_bench;
    QCheckBox* m_extension;
    QCheckBox* m_named;
    QCheckBox* m_json;
    QCheckBox* m_tables;
    QCheckBox* m_ribbons;
    QCheckBox* m_tiles;
    QLabel* m_what;
    QPushButton* m_ship;
};

} // namespace thicket::app
