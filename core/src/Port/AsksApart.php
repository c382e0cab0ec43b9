<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;
use SensitiveParameter;

/** A kind of target where people's queries run under an account of their own, which may do nothing but read landed tables. */
interface AsksApart extends Target
{
    /**
     * What has to be run for there to be such an account.
     *
     * @param  array<string, string|int>  $settings  of the system
     * @return list<string> statements, with … where its password stands
     */
    public function askerStatements(array $settings, string $user): array;

    /**
     * Runs them.
     *
     * @param  Access  $administrator  as an account that may make others
     *
     * @throws SystemTrouble if that is refused; nothing of it is done then
     */
    public function makeAsker(Access $administrator, string $user, #[SensitiveParameter] string $secret): void;

    /** @return list<Finding> whether the account can do no more than it should */
    public function checkAsker(Access $access, string $user, #[SensitiveParameter] string $secret): array;

    /** @param  list<TableName>  $tables  that have landed, and may be asked */
    public function asker(Access $access, string $user, #[SensitiveParameter] string $secret, array $tables): Asker;
}
