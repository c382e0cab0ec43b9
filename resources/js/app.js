import Alpine from '@alpinejs/csp';
import { find, keys } from './keys.js';
import { grid } from './grid.js';
import { live } from './live.js';
import { preview } from './preview.js';
import { drawer, rows } from './rows.js';
import { ruler } from './ruler.js';
import { tide } from './tide.js';

Alpine.data('keys', keys);
Alpine.data('find', find);
Alpine.data('live', live);
Alpine.data('rows', rows);
Alpine.data('drawer', drawer);
Alpine.data('grid', grid);
Alpine.data('preview', preview);
Alpine.data('tide', tide);
Alpine.start();
ruler();
