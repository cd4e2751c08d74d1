// Says over the picture what an inspection shows, with its legend, and how to come back.
#pragma once

#include "document/document.h"

#include <QFrame>

class QLabel;
class QToolButton;

namespace yolk::app {

/// Patches of colour or hatching, each with a word beside or under it.
class LegendStrip : public QWidget {
    Q_OBJECT
public:
    struct Patch {
        QColor colour;
        QString word;
        Hatch hatch = Hatch::None;
    };
    using QWidget::QWidget;
    void setPatches(const QList<Patch> &patches);
    const QList<Patch> &patches() const { return patches_; }
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override { return {40, 20}; } ///< a narrow window cuts it rather than growing

protected:
    void paintEvent(QPaintEvent *) override;

private:
    double widthOf(const Patch &patch) const;
    QList<Patch> patches_;
};

/// "Sources", "Noise" and so on, and one sentence about it.
QString inspectionName(InspectMode mode);
QString inspectionHelp(InspectMode mode);

class InspectionCaption : public QFrame {
    Q_OBJECT
public:
    explicit InspectionCaption(Document *document, QWidget *parent = nullptr);
    QString text() const;
    LegendStrip *legend() const { return legend_; }

private:
    void refresh();
    Document *document_;
    QLabel *words_;
    LegendStrip *legend_;
    QToolButton *back_;
};

} // namespace yolk::app
