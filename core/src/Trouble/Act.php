<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

/** What a person can do in Lighterman about trouble. Whoever shows the trouble says where: a page links to it, the command line names the command. */
enum Act: string
{
    case AgreeToShape = 'agree_to_shape';
    case DecideEmptied = 'decide_emptied';
    case LoadAgain = 'load_again';
    case StartOver = 'start_over';
    case BeginAnew = 'begin_anew';
    case ChangeColumns = 'change_columns';
    case CheckSystem = 'check_system';
    case ListSystems = 'list_systems';
    case ListFeeds = 'list_feeds';
}
