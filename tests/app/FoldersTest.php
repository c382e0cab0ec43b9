<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\SystemBook;
use App\Models\System;
use App\Runtime\Common\Systems;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;

/** Systems lie only where they may, however they are named. */
final class FoldersTest extends AppCase
{
    private string $at;

    protected function setUp(): void
    {
        parent::setUp();
        $this->at = (string) realpath(sys_get_temp_dir()).'/folders-'.bin2hex(random_bytes(5));
        mkdir("{$this->at}/allowed/lake", recursive: true);
        mkdir("{$this->at}/elsewhere");
        touch("{$this->at}/elsewhere/cellar.db");
        config(['lighterman.folders' => ["{$this->at}/allowed"]]);
        $this->actingAs($this->engineer());
    }

    protected function tearDown(): void
    {
        exec('rm -rf '.escapeshellarg($this->at));
        parent::tearDown();
    }

    #[Test]
    public function a_system_outside_the_allowed_folders_is_refused_and_nothing_is_entered(): void
    {
        symlink("{$this->at}/elsewhere", "{$this->at}/allowed/way");
        symlink('/', "{$this->at}/allowed/root");
        foreach (['/', '/etc', '/etc/', '/.', '/x/../../etc', '/proc/self/root', "{$this->at}/elsewhere", "{$this->at}", "{$this->at}/allowed/../elsewhere", "{$this->at}/allowed/way", "{$this->at}/allowed/way/not-there-yet", "{$this->at}/allowed/root/etc", "{$this->at}/allowed-not", base_path(), storage_path(), storage_path('lake'), app()->environmentFilePath()] as $path) {
            foreach (['lake', 'files', 'sqlite'] as $kind) {
                $this->post('/systems', ['kind' => $kind, 'name' => 'odd', 'path' => $path])->assertSessionHasErrors('said');
                self::assertFalse(System::where('name', 'odd')->exists(), "{$kind} {$path}");
            }
        }
        $this->post('/systems', ['kind' => 'lake', 'name' => 'fine', 'path' => "{$this->at}/allowed/lake/"])->assertSessionHasNoErrors();
        $this->put('/systems/fine', ['name' => 'fine', 'path' => '/etc'])->assertSessionHasErrors('said');
        self::assertSame("{$this->at}/allowed/lake/", System::where('name', 'fine')->sole()->settings['path']);
        $this->post('/systems', ['kind' => 'files', 'name' => 'to come', 'path' => "{$this->at}/allowed/to/come"])->assertSessionHasNoErrors();
    }

    #[Test]
    public function the_installations_own_state_is_in_none_whatever_is_allowed(): void
    {
        config(['lighterman.folders' => ['/']]);
        foreach ([storage_path(), storage_path('lake'), dirname(storage_path()), dirname(storage_path()).'/run', '/'] as $path) {
            $this->post('/systems', ['kind' => 'lake', 'name' => 'odd', 'path' => $path])->assertSessionHasErrors('said');
            self::assertStringContainsString('own state', (string) session('errors')->first('said'), $path);
        }
        self::assertFalse(System::where('name', 'odd')->exists());
    }

    #[Test]
    public function one_that_leads_elsewhere_later_is_used_no_more_and_its_page_says_so(): void
    {
        $lake = SystemBook::add('lake', ['path' => "{$this->at}/allowed/lake"], '', 'lake');
        rename("{$this->at}/allowed/lake", "{$this->at}/elsewhere/lake");
        symlink("{$this->at}/elsewhere/lake", "{$this->at}/allowed/lake");
        $systems = app(Systems::class);
        $systems->forget();
        try {
            $systems->target($lake);
            self::fail('It was used.');
        } catch (SystemTrouble $trouble) {
            self::assertStringContainsString("is a way to {$this->at}/elsewhere/lake, which lies in none of the folders", $trouble->getMessage());
            self::assertStringContainsString('LIGHTERMAN_FOLDERS', $trouble->remedy()->said);
        }
        $this->post('/systems/lake/check')->assertRedirect();
        $this->get('/systems/lake')->assertOk()->assertSee('lies in none of the folders');
        $this->get('/landed')->assertOk();
    }
}
