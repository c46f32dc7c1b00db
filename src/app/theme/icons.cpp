#include "app/theme/icons.h"

#include <QHash>

namespace ovrix::app {

QString iconBody(const QString& name) {
    static const QHash<QString, QString> bodies = {
        {"select", "<path d='M4 2.5 12.5 8 8.6 9 6.6 13z'/>"},
        {"move",
         "<path d='M8 2v12M2 8h12M6.4 3.6 8 2l1.6 1.6M6.4 12.4 8 14l1.6-1.6M3.6 6.4 2 8l1.6 1.6M12.4 6.4 14 "
         "8l-1.6 1.6'/>"},
        {"turn", "<path d='M13.5 8A5.5 5.5 0 1 1 11 3.4'/><path d='M13.6 2.2 11 3.4l1.4 2.4'/>"},
        {"scale", "<path d='M2.5 9.5h4v4h-4zM9.5 6.5 13.5 2.5M10 2.5h3.5V6'/>"},
        {"curve",
         "<path d='M2.2 12.2c3.2 2.6 4.6-.6 5.4-4.2s2.4-5.6 6-4.2'/><circle cx='2.4' cy='12.2' r='1.3'/>"
         "<circle cx='7.6' cy='8' r='1.3'/><circle cx='13.6' cy='3.8' r='1.3'/>"},
        {"comb", "<path d='M2.5 4h11v2.5h-11zM4 6.5v5.2M6.7 6.5v6.6M9.3 6.5v6.6M12 6.5v5.2'/>"},
        {"aim", "<circle cx='4.4' cy='4.4' r='2.2'/><path d='M6.4 6.4 11 11M13.5 9.4v4.1H9.4'/>"},
        {"hand", "<path d='M8 1.8v3M8 11.2v3M1.8 8h3M11.2 8h3'/><circle cx='8' cy='8' r='2.6'/>"},
        {"frame",
         "<path d='M2.5 5.5v-3h3M10.5 2.5h3v3M13.5 10.5v3h-3M5.5 13.5h-3v-3'/><circle cx='8' cy='8' "
         "r='1.6'/>"},
        {"camera", "<path d='M2 5h7.5v6.5H2zM9.5 7.2 14 5v6.5l-4.5-2.2'/>"},
        {"field", "<path d='M3 4.5h10M3 8h7M3 11.5h4'/>"},
        {"add", "<path d='M8 3.5v9M3.5 8h9'/>"},
        {"close", "<path d='M4.5 4.5l7 7M11.5 4.5l-7 7'/>"},
        {"more",
         "<circle cx='3.5' cy='8' r='.6'/><circle cx='8' cy='8' r='.6'/><circle cx='12.5' cy='8' r='.6'/>"},
        {"down", "<path d='M4.5 6.5 8 10l3.5-3.5'/>"},
        {"right", "<path d='M6.5 4.5 10 8l-3.5 3.5'/>"},
        {"region",
         "<path d='M2.5 5V2.5H5M11 2.5h2.5V5M13.5 11v2.5H11M5 13.5H2.5V11' /><path d='M5.5 5.5h5v5h-5z'/>"},
        {"focus",
         "<circle cx='8' cy='8' r='5.5'/><circle cx='8' cy='8' r='1.6'/><path d='M8 .8v3.4M8 11.8v3.4M.8 "
         "8h3.4M11.8 8h3.4'/>"},
        {"pin", "<path d='M6 2.5h4l-.6 4L12 9H4l2.6-2.5zM8 9v4.5'/>"},
        {"white", "<path d='M10.8 2.6l2.6 2.6-2 2-2.6-2.6zM9.6 5.4 4 11l-.8 2.2L5.4 12.4 11 6.8'/>"},
        {"history", "<circle cx='8.2' cy='8' r='5.5'/><path d='M8.2 4.6V8l2.4 1.6'/>"},
        {"queue",
         "<path d='M2.5 3h7v3h-7zM2.5 8h7M2.5 10.5h7M2.5 13h5'/><path d='M11.5 8.5 14 10.5l-2.5 2z'/>"},
        {"denoise",
         "<path d='M8.5 2.5a5.5 5.5 0 0 1 0 11z'/><circle cx='5.6' cy='4.4' r='.55'/><circle cx='3.2' cy='7' "
         "r='.55'/><circle cx='5.9' cy='8.6' r='.55'/><circle cx='3.6' cy='10.4' r='.55'/><circle cx='6' "
         "cy='12.4' r='.55'/>"},
        {"save", "<path d='M8 2.5v7.5M5 7l3 3 3-3M3 13.5h10'/>"},
        {"stop", "<path d='M4.5 4.5h7v7h-7z'/>"},
        {"play", "<path d='M5 3.5 12 8l-7 4.5z'/>"},
        {"pause", "<path d='M5.5 3.5v9M10.5 3.5v9'/>"},
        {"first", "<path d='M4 3.5v9M12 3.5 6.5 8l5.5 4.5z'/>"},
        {"back", "<path d='M10.5 4 5.5 8l5 4'/>"},
        {"ahead", "<path d='M5.5 4l5 4-5 4'/>"},
        {"keys", "<path d='M2 12c4 0 4-8 8-8h4'/><path d='M10 2.4 11.6 4 10 5.6 8.4 4z'/>"},
        {"warning", "<path d='M8 2.5 14 13H2zM8 6.5v3M8 11.2v.1'/>"},
        {"mesh", "<path d='M8 2 13.5 5v6L8 14 2.5 11V5zM2.5 5 8 8l5.5-3M8 8v6'/>"},
        {"light",
         "<circle cx='8' cy='8' r='2.8'/><path d='M8 1.8v1.4M8 12.8v1.4M1.8 8h1.4M12.8 8h1.4M3.6 3.6l1 "
         "1M11.4 11.4l1 1M12.4 3.6l-1 1M4.6 11.4l-1 1'/>"},
        {"layer",
         "<circle cx='4' cy='11' r='1.5'/><circle cx='8.3' cy='8.5' r='1.5'/><circle cx='12.4' cy='11.4' "
         "r='1.5'/><circle cx='11.5' cy='4.6' r='1.5'/><circle cx='5' cy='5' r='1.5'/>"},
        {"material", "<circle cx='8' cy='8' r='5.5'/><path d='M4.6 8.6A4 4 0 0 1 8 4.6'/>"},
        {"undo", "<path d='M3 6.5h6.5a3.5 3.5 0 1 1 0 7H6M5.8 3.5 3 6.5l2.8 3'/>"},
        {"redo", "<path d='M13 6.5H6.5a3.5 3.5 0 1 0 0 7H10M10.2 3.5 13 6.5l-2.8 3'/>"},
        {"swap", "<path d='M8 2v12M5.5 5.5 3 8l2.5 2.5M10.5 5.5 13 8l-2.5 2.5'/>"},
        {"settings",
         "<path d='M3 4.5h10M3 11.5h10'/><circle cx='10' cy='4.5' r='1.6'/><circle cx='6' cy='11.5' "
         "r='1.6'/>"},
    };
    return bodies.value(name);
}

}  // namespace ovrix::app
