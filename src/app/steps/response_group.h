// What the camera's development does to light, as found from the set.
#pragma once

#include "document/document.h"
#include "widgets/choice_row.h"
#include "widgets/fold_group.h"

class QLabel;

namespace yolk::app {

/// A curve from code values (across) to light (up, in stops), and the profile's own beside it.
class ResponsePlot : public QWidget {
    Q_OBJECT
public:
    explicit ResponsePlot(QWidget *parent = nullptr);
    void setResponse(const Response &response, bool taken);
    QSize sizeHint() const override { return {240, 108}; }
    QSize minimumSizeHint() const override { return {120, 108}; }

protected:
    void paintEvent(QPaintEvent *) override;

private:
    Response response_;
    bool taken_ = false;
};

class ResponseGroup : public FoldGroup {
    Q_OBJECT
public:
    explicit ResponseGroup(Document *document, QWidget *parent = nullptr);

private:
    void refresh();
    Document *document_;
    ChoiceRow *choice_;
    ResponsePlot *plot_;
    QLabel *words_;
};

} // namespace yolk::app
