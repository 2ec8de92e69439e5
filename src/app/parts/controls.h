#pragma once
// Small controls that all stages share.

#include <QAbstractItemView>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>
#include <QStyledItemDelegate>
#include <QVBoxLayout>
#include <QWidget>

namespace thicket::app {

/// A row of choices of which one is in force. Keys left and right move it.
class Segmented : public QWidget {
    Q_OBJECT
public:
    Segmented(const QStringList& choices, const QStringList& tips, QWidget* parent = nullptr);
    [[nodiscard]] int current() const { return m_current; }
    void setCurrent(int index);
    /// Only the first `count` choices are there; one beyond gives way to the first, without a signal.
    void setCount(int count);
    /// Width of one choice; 78 unless said.
    void setCellWidth(int width);
    [[nodiscard]] QRect cell(int index) const;
    QSize sizeHint() const override;

signals:
    void picked(int index);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    QStringList m_choices;
    QStringList m_tips;
    int m_current = 0;
    int m_count = 0;
    int m_cellWidth = 78;
};

/// Paints a subject: picture, name, weight, staircase of its levels, a dot when something is found.
class SubjectDelegate : public QStyledItemDelegate {
    Q_OBJECT
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;
    void updateEditorGeometry(QWidget* editor, const QStyleOptionViewItem& option,
                              const QModelIndex& index) const override;
};

/// A staircase of levels as small bars, heights by the logarithm of their triangles.
void paintStaircase(QPainter& painter, const QRectF& rect, const QVector<double>& triangles);

/// Text on one line, shortened in its middle where there is no room for all of it, which its tooltip has then. It never
/// asks for much room: names are as long as people make them.
class NameLabel : public QLabel {
    Q_OBJECT
public:
    using QLabel::QLabel;
    [[nodiscard]] QSize minimumSizeHint() const override;

protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;

private:
    [[nodiscard]] QString shown() const;
};

/// A panel column: title row, then what is added, stretch, then buttons at the foot.
class Panel : public QWidget {
    Q_OBJECT
public:
    explicit Panel(const QString& title, QWidget* parent = nullptr);
    QLabel* title;
    QLabel* aside;
    QVBoxLayout* body; ///< scrolls when it is too tall
    QHBoxLayout* footer;
};

QPushButton* makeButton(const QString& text, const QString& tip, bool primary = false);
/// Label on the left, field on the right, on one line.
QWidget* fieldRow(const QString& label, QWidget* field, const QString& tip);
/// Takes all widgets out of a layout; they go later, since it may be one of them that asked.
void clearLayout(QLayout* layout);
QLabel* makeLabel(const QString& text, const char* kind = nullptr);

/// A list of choices in a panel that scrolls: the wheel scrolls the panel, and never chooses what lies under the mouse.
class ChoiceBox : public QComboBox {
    Q_OBJECT
public:
    using QComboBox::QComboBox;

protected:
    void wheelEvent(QWheelEvent* event) override;
};

/// A spin box that reports only finished values and shows no more digits than it needs.
class NumberBox : public QDoubleSpinBox {
    Q_OBJECT
public:
    NumberBox(double low, double high, int decimals, const QString& suffix, QWidget* parent = nullptr);
    /// Sets without telling.
    void show(double value);
    QString textFromValue(double value) const override;
    double valueFromText(const QString& text) const override;
    QValidator::State validate(QString& text, int& at) const override;
    /// Shown in place of the largest value, as "any".
    void setTopText(const QString& text);

signals:
    void chosen(double value);

protected:
    void wheelEvent(QWheelEvent* event) override;

private:
    QString m_top;
};

} // namespace thicket::app
