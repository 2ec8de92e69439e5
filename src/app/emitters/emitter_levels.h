#pragma once
// Thin, for an emitter: a card a level, and a table of values that says for each whose it is.

#include "app/parts/controls.h"
#include "app/parts/figure_card.h"
#include "appmodel/workbench.h"
#include "emitters/emitter_look.h"

#include <QCheckBox>

namespace thicket::app {

class EmitterLevels : public Panel {
    Q_OBJECT
public:
    explicit EmitterLevels(Workbench& bench, QWidget* parent = nullptr);

private:
    void refresh();
    void refreshCards();
    void refreshValues();
    void askPictures(const Emitter& own);
    [[nodiscard]] const Subject* emitter() const;
    [[nodiscard]] int level() const;

    Workbench& m_bench;
    QVBoxLayout* m_cards;
    Emitter m_pictured; ///< what the pictures are of, or will be
    std::vector<QImage> m_pictures;
    QLabel* m_exactTitle;
    QLabel* m_exactAside;
    ChoiceBox* m_part;
    struct Value {
        PartValue value;
        NumberBox* low = nullptr;
        NumberBox* high = nullptr; ///< null: one number
        QCheckBox* on = nullptr;   ///< of PartValue::On, in place of numbers
        QPushButton* back = nullptr;
    };
    std::vector<Value> m_values;
    NumberBox* m_share;
    QPushButton* m_add;
    QPushButton* m_remove;
};

/// Switch, for an emitter: what sets its level, how often that is looked at, and what is in the frame.
class EmitterSwitches : public Panel {
    Q_OBJECT
public:
    explicit EmitterSwitches(Workbench& bench, QWidget* parent = nullptr);
    void showFrame(const SelectInput& input, const Selection& selection);

protected:
    void showEvent(QShowEvent* event) override;

private:
    void refresh();
    void change(const QString& label, const std::function<void(SwitchRule&)>& how);
    void askPops(const Subject& subject);
    void showPops(const std::vector<EmitterPop>& pops);
    [[nodiscard]] const Subject* emitter() const;

    Workbench& m_bench;
    Segmented* m_by;
    ChoiceBox* m_forced;
    NumberBox* m_tier;
    QWidget* m_tierRow;
    NumberBox* m_check;
    NumberBox* m_hysteresis;
    NumberBox* m_liveOut;
    NumberBox* m_reach;
    Segmented* m_unit;
    QLabel* m_frame;
    QLabel* m_pops;
    Emitter m_scored; ///< what the list of switches is of
    std::vector<double> m_scoredFrom;
};

} // namespace thicket::app
