#pragma once
// The brush that paints care: its settings, in a bar over the viewport.

#include "app/parts/controls.h"
#include "appmodel/workbench.h"

#include <QCheckBox>

namespace thicket::app {

class CareBar : public QFrame {
    Q_OBJECT
public:
    explicit CareBar(Workbench& bench, QWidget* parent = nullptr);

    /// A stroke with the brush as it is set, still without a path.
    [[nodiscard]] CareStroke brush() const;
    /// Makes the brush larger or smaller by a factor.
    void scaleBrush(double factor);
    void toggleErase();

signals:
    void brushChanged();

private:
    void refresh();

    Workbench& m_bench;
    std::uint32_t m_subject = 0; ///< whose size the brush was last fitted to
    Segmented* m_kind;
    NumberBox* m_size;
    NumberBox* m_strength;
    QCheckBox* m_mirror;
    QPushButton* m_colors;
    QPushButton* m_clear;
    QList<QAction*> m_channels;
    QAction* m_picture = nullptr;
};

} // namespace thicket::app
