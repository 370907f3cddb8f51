import { StepPages } from '../../ui/StepPages';
import { InStepPage } from './InStepPage';
import { NamesPage } from './NamesPage';
import { PastPage } from './PastPage';
import { PlanPage } from './PlanPage';
import { ProjectPage } from './ProjectPage';
import { RecipePage } from './RecipePage';
import type { HandOverPage, StepProps } from './useHandingOver';

const PAGES: readonly { value: HandOverPage; label: string }[] = [
  { value: 'plan', label: 'Plan' },
  { value: 'recipe', label: 'Recipe' },
  { value: 'names', label: 'Names' },
  { value: 'past', label: 'History' },
  { value: 'in-step', label: 'Watched file' },
  { value: 'project', label: 'Project' },
];

/** What will be written and by which recipe, one action, and what came of it. */
export function HandOverStep(props: StepProps) {
  const { handing } = props;
  return (
    <>
      <StepPages pages={PAGES} page={handing.page} onPage={handing.setPage} />
      {handing.page === 'plan' && <PlanPage {...props} />}
      {handing.page === 'recipe' && <RecipePage {...props} />}
      {handing.page === 'names' && <NamesPage {...props} />}
      {handing.page === 'past' && <PastPage {...props} />}
      {handing.page === 'in-step' && <InStepPage {...props} />}
      {handing.page === 'project' && <ProjectPage {...props} />}
    </>
  );
}
